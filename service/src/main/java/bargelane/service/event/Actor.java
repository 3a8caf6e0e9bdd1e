package bargelane.service.event;

import java.util.concurrent.Callable;

/** The account for which the present thread works: what it tells of is told as done by it. */
public final class Actor {

  private static final ThreadLocal<String> NOW = ThreadLocal.withInitial(() -> "");

  private Actor() {}

  /** The account; empty where the service works by itself. */
  static String now() {
    return NOW.get();
  }

  /** Does something for an account. */
  public static <T> T acts(String account, Callable<T> work) throws Exception {
    String before = NOW.get();
    NOW.set(account);
    try {
      return work.call();
    } finally {
      NOW.set(before);
    }
  }
}
