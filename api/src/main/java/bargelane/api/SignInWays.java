package bargelane.api;

/**
 * How people can sign in besides by a password.
 *
 * @param provider the name of the identity provider; empty if there is none
 */
public record SignInWays(String provider) {}
