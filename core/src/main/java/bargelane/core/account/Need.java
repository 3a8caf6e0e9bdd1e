package bargelane.core.account;

import bargelane.core.word.Worded;
import java.util.Locale;

/** What a call needs of whoever makes it. */
public enum Need implements Worded {
  /** Nothing: anybody may call. */
  NOTHING,
  /** An account, of whatever role. */
  SIGN_IN,
  /** To see the estate and its moves. */
  READ,
  /** To assess, map and plan. */
  PLAN,
  /** To load, test, cut over, fail over, fail back and settle. */
  MOVE,
  /** To answer approvals and sign tests off. */
  APPROVE,
  /** To keep sites, credentials, accounts and settings. */
  KEEP,
  /** To carry the bytes of passes. */
  CARRY;

  @Override
  public String word() {
    return name().toLowerCase(Locale.ROOT).replace('_', '-');
  }
}
