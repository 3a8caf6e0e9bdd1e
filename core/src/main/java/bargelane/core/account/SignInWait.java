package bargelane.core.account;

import java.time.Duration;

/**
 * How long whoever gave a wrong password waits before the next try. It grows with each failure and
 * has a limit, so that a stranger can slow others down and never shut them out.
 */
public enum SignInWait {
  /** Of one account from one address. */
  PAIR(3, Duration.ofSeconds(60)),
  /** Of one address, whatever the accounts. */
  ADDRESS(10, Duration.ofSeconds(60)),
  /** Of one account, from all addresses from which nobody signed in to it lately. */
  ACCOUNT(20, Duration.ofSeconds(5));

  private final int free;
  private final Duration longest;

  SignInWait(int free, Duration longest) {
    this.free = free;
    this.longest = longest;
  }

  public Duration longest() {
    return longest;
  }

  /** The wait after so many failures in a row: none at first, then 1 s, 2 s, 4 s and so on. */
  public Duration after(int failures) {
    if (failures < free) {
      return Duration.ZERO;
    }
    Duration grown = Duration.ofSeconds(1L << Math.min(failures - free, 20));
    return grown.compareTo(longest) > 0 ? longest : grown;
  }
}
