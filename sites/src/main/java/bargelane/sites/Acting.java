package bargelane.sites;

import java.util.Optional;
import java.util.function.Supplier;

/**
 * For whom the present thread changes something at a site, and under which epoch. Whoever takes
 * over work does so under a higher epoch, and every driver hands it to its site, which keeps the
 * highest for each key and refuses what comes under a lower one: a predecessor that still acts
 * changes nothing any more. What is done for nobody, such as removing what the ledger has given up,
 * is not held against any.
 *
 * @param key what is worked on, so that those who work on different things don't meet
 * @param epoch of whoever works on it; every later one has a higher one
 * @param move whether machines may stand still until it is done, so that it goes before others
 */
public record Acting(String key, long epoch, boolean move) {

  /** The code of the failure of a call under an epoch that is over. */
  public static final String STALE = "stale-epoch";

  private static final ThreadLocal<Acting> CURRENT = new ThreadLocal<>();

  /** Runs work; the changes it makes at sites are made for this key under this epoch. */
  public <T> T run(Supplier<T> work) {
    Acting before = CURRENT.get();
    CURRENT.set(this);
    try {
      return work.get();
    } finally {
      if (before == null) {
        CURRENT.remove();
      } else {
        CURRENT.set(before);
      }
    }
  }

  /** For whom the present thread works; none if for nobody. */
  public static Optional<Acting> current() {
    return Optional.ofNullable(CURRENT.get());
  }

  /**
   * Refuses what comes under a lower epoch than has been seen.
   *
   * @param seen the highest epoch of the key so far
   */
  public void after(String site, long seen) {
    if (epoch < seen) {
      throw new SiteException(
          SiteException.Kind.FINAL,
          STALE,
          site + ": " + key + " was taken over under epoch " + seen + "; this is " + epoch,
          null);
    }
  }
}
