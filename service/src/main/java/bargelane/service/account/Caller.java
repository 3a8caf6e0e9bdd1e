package bargelane.service.account;

import bargelane.core.account.Need;
import bargelane.core.account.Role;
import java.util.Collection;
import java.util.Optional;
import java.util.Set;
import java.util.function.Function;

/**
 * Who calls.
 *
 * @param account its name; empty for whoever is not signed in
 * @param token id of the session or token
 * @param csrf what a write of a session must carry
 * @param machines a filter of the machines that its roles are limited to; empty for all
 * @param tug the tug whose token it is
 */
public record Caller(
    String account,
    String accountId,
    String token,
    Kind kind,
    String csrf,
    Set<Role> roles,
    String machines,
    Optional<String> tug,
    String address) {

  /** By what. */
  public enum Kind {
    NOBODY,
    SESSION,
    TOKEN,
    /** The token that the launcher keeps in the service's home. */
    HOME
  }

  /** Somebody who is not signed in. */
  public static Caller nobody(String address) {
    return new Caller("", "", "", Kind.NOBODY, "", Set.of(), "", Optional.empty(), address);
  }

  /** The same, called by a name. */
  public Caller as(String name) {
    return new Caller(name, accountId, token, kind, csrf, roles, machines, tug, address);
  }

  /** Whether it may do what needs one of these. */
  public boolean may(Collection<Need> needs) {
    return Role.allow(roles, needs);
  }

  public boolean may(Need need) {
    return may(Set.of(need));
  }

  /** The tows that it is limited to, if it is, as they are looked up by its filter. */
  public Optional<Set<String>> tows(Function<String, Set<String>> lookUp) {
    return machines.isEmpty() ? Optional.empty() : Optional.of(lookUp.apply(machines));
  }
}
