package bargelane.api;

import java.util.List;

/**
 * What a group of an identity provider may do here.
 *
 * @param machines a filter of the machines that the roles are limited to; empty for all
 */
public record GroupRoles(String group, List<String> roles, String machines) {}
