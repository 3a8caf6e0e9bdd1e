package bargelane.sites;

import bargelane.blocks.tls.ServerKeys;
import java.util.List;
import java.util.Set;
import java.util.function.Supplier;

/**
 * For whom the present thread opens disks. Sites that offer disks over a network let only those
 * read and write who show one of these certificates, by its fingerprint; others offer them where
 * nobody else comes near.
 */
public final class DiskReaders {

  private static final ThreadLocal<Set<String>> CURRENT = new ThreadLocal<>();

  private DiskReaders() {}

  /**
   * Opens disks for somebody besides this process.
   *
   * @param fingerprint of their certificate; empty for anybody who knows the export's name, since
   *     theirs is not known
   */
  public static <T> T with(String fingerprint, Supplier<T> work) {
    Set<String> before = CURRENT.get();
    // A copy of a list, since the two may be one.
    CURRENT.set(fingerprint.isEmpty() ? Set.of() : Set.copyOf(List.of(own(), fingerprint)));
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

  /** Fingerprints of the certificates that are let in; none for anybody. */
  public static Set<String> current() {
    Set<String> now = CURRENT.get();
    return now == null ? Set.of(own()) : now;
  }

  private static String own() {
    return ServerKeys.own().fingerprint();
  }
}
