package bargelane.api;

import java.util.List;

/**
 * Changes of an account; what is left out stays. A new password ends its sessions.
 *
 * @param machines a filter of the machines that its roles are limited to; empty for all
 */
public record AccountEdit(String password, List<String> roles, String machines) {}
