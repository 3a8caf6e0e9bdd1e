package bargelane.api;

import java.util.List;

/**
 * Who is signed in, and the words of its roles; programs with a token get no CSRF value.
 *
 * @param machines a filter of the machines that the roles are limited to; empty for all
 */
public record SignedIn(String account, String csrf, List<String> roles, String machines) {}
