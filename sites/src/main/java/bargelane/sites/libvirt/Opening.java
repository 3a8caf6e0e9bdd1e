package bargelane.sites.libvirt;

import bargelane.sites.SiteException;
import com.sun.jna.Pointer;
import java.time.Duration;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.Executor;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;
import java.util.function.Supplier;

/**
 * The opening of one connection to a daemon, which the library waits for without a limit. Whoever
 * needs it waits for a while; a daemon that accepts and never answers holds one thread of ours, and
 * not one for each who asks.
 */
final class Opening {

  /** How long a daemon usually has to answer. */
  static final Duration LONGEST = Duration.ofSeconds(15);

  /** How long those wait who come when it has taken too long already. */
  private static final Duration LATER = Duration.ofMillis(200);

  private static final Executor OPENERS =
      Executors.newCachedThreadPool(
          r -> {
            Thread thread = new Thread(r, "libvirt-opening");
            thread.setDaemon(true);
            return thread;
          });

  private final String site;
  private final Duration longest;
  private CompletableFuture<Pointer> under;
  private long began;

  Opening(String site, Duration longest) {
    this.site = site;
    this.longest = longest;
  }

  /** Gives what is opened; what is under way already is waited for and not begun again. */
  synchronized Pointer opened(Supplier<Pointer> open) {
    if (under == null) {
      began = System.nanoTime();
      under = CompletableFuture.supplyAsync(open, OPENERS);
    }
    long left = longest.toNanos() - (System.nanoTime() - began);
    try {
      Pointer pointer = under.get(Math.max(left, LATER.toNanos()), TimeUnit.NANOSECONDS);
      under = null;
      return pointer;
    } catch (ExecutionException e) {
      under = null;
      if (e.getCause() instanceof SiteException told) {
        throw told;
      }
      throw new IllegalStateException(e.getCause());
    } catch (TimeoutException e) {
      throw new SiteException(
          SiteException.Kind.MAY_PASS,
          "unreachable",
          site
              + " does not answer: libvirt has accepted a connection and said nothing for "
              + TimeUnit.NANOSECONDS.toSeconds(System.nanoTime() - began)
              + " s",
          e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new SiteException(
          SiteException.Kind.MAY_PASS, "interrupted", site + ": waiting was interrupted", e);
    }
  }

  /** Opens a connection, however long that takes. */
  static Pointer open(String site, String uri) {
    LibVirt lib = Hypervisor.lib();
    Pointer fresh = lib.virConnectOpen(uri);
    if (fresh != null) {
      return fresh;
    }
    String why = lib.virGetLastErrorMessage();
    boolean refused =
        lib.virGetLastErrorCode() == LibVirt.AUTH_FAILED
            || why.contains("Permission denied")
            || why.contains("Host key");
    throw new SiteException(
        refused ? SiteException.Kind.FINAL : SiteException.Kind.MAY_PASS,
        refused ? "refused" : "unreachable",
        site + " does not answer: " + why,
        null);
  }
}
