package bargelane.api;

/** Name and password of a local account. */
public record SignIn(String account, String password) {}
