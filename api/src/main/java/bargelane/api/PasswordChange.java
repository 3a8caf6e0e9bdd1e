package bargelane.api;

/** The new password of whoever is signed in, and the present one. */
public record PasswordChange(String current, String password) {}
