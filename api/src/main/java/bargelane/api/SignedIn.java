package bargelane.api;

/** Who is signed in; programs with a token get no CSRF value. */
public record SignedIn(String account, String csrf) {}
