package bargelane.api;

import java.util.List;

/** Who is signed in, and the words of its roles; programs with a token get no CSRF value. */
public record SignedIn(String account, String csrf, List<String> roles) {}
