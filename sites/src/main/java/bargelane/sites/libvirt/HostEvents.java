package bargelane.sites.libvirt;

import bargelane.sites.SiteException;
import java.time.Duration;
import java.util.function.BooleanSupplier;

/** That something happened to a domain or to a job of a host, for those who wait for it. */
final class HostEvents {

  private long count;

  synchronized void happened() {
    count++;
    notifyAll();
  }

  /**
   * Waits until something holds that a domain's life or its jobs decide, looking again at each
   * event of the host. Gives whether it holds.
   */
  boolean await(Duration patience, BooleanSupplier holds) {
    long until = System.nanoTime() + patience.toNanos();
    while (true) {
      long seen;
      synchronized (this) {
        seen = count;
      }
      if (holds.getAsBoolean()) {
        return true;
      }
      long left = (until - System.nanoTime()) / 1_000_000;
      if (left <= 0) {
        return false;
      }
      synchronized (this) {
        if (seen == count) {
          try {
            // An event may be lost with the connection: look again each second all the same.
            wait(Math.min(left, 1000));
          } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new SiteException(
                SiteException.Kind.MAY_PASS, "interrupted", "waiting was interrupted", e);
          }
        }
      }
    }
  }
}
