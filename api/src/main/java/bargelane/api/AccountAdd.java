package bargelane.api;

import java.util.List;

/**
 * A new account; without a password one is made.
 *
 * @param machines a filter of the machines that its roles are limited to; all if left out
 */
public record AccountAdd(String name, String password, List<String> roles, String machines) {}
