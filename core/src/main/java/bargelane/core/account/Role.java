package bargelane.core.account;

import bargelane.core.word.Worded;
import java.util.Collection;
import java.util.EnumSet;
import java.util.Locale;
import java.util.Set;

/** What an account is for. An account may have several roles; it may do what any of them may. */
public enum Role implements Worded {
  /** Sees everything, changes nothing. */
  READER(Need.READ),
  /** Assesses, maps and plans. */
  PLANNER(Need.READ, Need.PLAN),
  /** Loads, tests, cuts over, fails over, fails back and settles. */
  MOVER(Need.READ, Need.MOVE),
  /** Answers approvals and signs tests off; nothing else. */
  APPROVER(Need.READ, Need.APPROVE),
  /** Keeps sites, credentials, accounts and settings. */
  KEEPER(Need.READ, Need.KEEP),
  /** A tug: takes leases and reports on its own, and sees nothing else. */
  TUG(Need.CARRY);

  private final Set<Need> allows;

  Role(Need first, Need... rest) {
    this.allows = EnumSet.of(first, rest);
    this.allows.add(Need.NOTHING);
    if (first != Need.CARRY) {
      this.allows.add(Need.SIGN_IN);
    }
  }

  @Override
  public String word() {
    return name().toLowerCase(Locale.ROOT);
  }

  /** Whether this role alone allows what is needed. */
  public boolean allows(Need need) {
    return allows.contains(need);
  }

  /** Whether any of these roles allows any of what would do. */
  public static boolean allow(Collection<Role> roles, Collection<Need> needs) {
    return needs.contains(Need.NOTHING)
        || roles.stream().anyMatch(role -> needs.stream().anyMatch(role::allows));
  }

  /** Roles that a person may be given: all but that of tugs. */
  public static Set<Role> ofPeople() {
    return EnumSet.complementOf(EnumSet.of(TUG));
  }
}
