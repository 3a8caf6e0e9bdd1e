package bargelane.service.account;

import bargelane.core.account.Role;
import bargelane.core.word.Worded;
import bargelane.service.platform.ProblemException;
import java.util.Arrays;
import java.util.Collection;
import java.util.EnumSet;
import java.util.List;
import java.util.Set;
import java.util.stream.Collectors;

/** Roles as they are stored and sent: words. */
final class Roles {

  private Roles() {}

  static Set<Role> stored(String words) {
    return Arrays.stream(words.split(" "))
        .filter(w -> !w.isEmpty())
        .map(w -> Worded.of(Role.class, w))
        .collect(Collectors.toCollection(() -> EnumSet.noneOf(Role.class)));
  }

  static String words(Collection<Role> roles) {
    return roles.stream().sorted().map(Role::word).collect(Collectors.joining(" "));
  }

  static List<String> list(Collection<Role> roles) {
    return roles.stream().sorted().map(Role::word).toList();
  }

  /**
   * Roles that somebody asks for.
   *
   * @throws ProblemException if there are none, or one is none that a person can have
   */
  static Set<Role> asked(Collection<String> words) {
    Set<Role> roles = EnumSet.noneOf(Role.class);
    for (String word : words) {
      roles.add(
          Role.ofPeople().stream()
              .filter(r -> r.word().equals(word))
              .findFirst()
              .orElseThrow(
                  () ->
                      ProblemException.invalid(
                          "role-unknown",
                          "'" + word + "' is not a role",
                          "give some of " + String.join(", ", list(Role.ofPeople())))));
    }
    if (roles.isEmpty()) {
      throw ProblemException.invalid(
          "role-missing",
          "no role is given",
          "give some of " + String.join(", ", list(Role.ofPeople())));
    }
    return roles;
  }
}
