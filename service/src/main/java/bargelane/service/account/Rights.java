package bargelane.service.account;

import bargelane.api.GroupRoles;
import bargelane.core.account.Role;
import bargelane.core.filter.Filter;
import bargelane.core.filter.FilterException;
import bargelane.service.platform.ProblemException;
import java.util.List;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * What an account or a group may do.
 *
 * @param machines a filter of the machines that the roles are limited to; empty for all
 */
public record Rights(Set<Role> roles, String machines) {

  private static final int LONGEST = 1000;

  /**
   * What somebody asks for.
   *
   * @param whose for messages
   * @throws ProblemException if a role is unknown, the filter can't be read, or a keeper is limited
   */
  public static Rights asked(
      String whose, @Nullable List<String> roles, @Nullable String machines) {
    Rights rights = new Rights(Roles.asked(roles == null ? List.of() : roles), limit(machines));
    rights.notOfKeeper(whose);
    return rights;
  }

  /** The same, as it is stored. */
  public static Rights of(GroupRoles group) {
    return asked(group.group(), group.roles(), group.machines());
  }

  /** Words of the roles. */
  public List<String> words() {
    return Roles.list(roles);
  }

  /** A filter of machines that somebody asks for; empty for all. */
  static String limit(@Nullable String machines) {
    String limit = machines == null ? "" : machines.strip();
    if (limit.length() > LONGEST) {
      throw ProblemException.invalid(
          "filter-too-long",
          "the filter of an account's machines has more than " + LONGEST + " characters",
          "give the machines a label, and choose them by it");
    }
    try {
      Filter.parse(limit);
    } catch (FilterException e) {
      throw ProblemException.invalid(
          "filter-malformed",
          e.getMessage() + ", at character " + (e.position() + 1) + " of the filter",
          e.remedy());
    }
    return limit;
  }

  void notOfKeeper(String whose) {
    if (!machines.isEmpty() && roles.contains(Role.KEEPER)) {
      throw ProblemException.invalid(
          "keeper-limited",
          "a keeper can't be limited to machines: they could lift the limit from " + whose,
          "leave out the limit, or the role keeper");
    }
  }
}
