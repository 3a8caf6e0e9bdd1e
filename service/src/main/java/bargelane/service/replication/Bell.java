package bargelane.service.replication;

import java.time.Duration;

/**
 * Rung when a pass is offered on this node. Whoever waits is woken at once; what other nodes offer
 * is found by one of all who wait, who looks each second.
 */
final class Bell {

  static final Duration SECOND = Duration.ofSeconds(1);
  static final long SECOND_NS = SECOND.toNanos();

  private long rings;
  private long looked = System.nanoTime() - SECOND_NS;

  synchronized void ring() {
    rings++;
    notifyAll();
  }

  /** How often it has been rung. */
  synchronized long now() {
    return rings;
  }

  /** Waits until it has been rung since {@code heard}, or the time is over; gives how often. */
  synchronized long await(long heard, long nanos) throws InterruptedException {
    long until = System.nanoTime() + nanos;
    while (rings == heard) {
      long left = (until - System.nanoTime()) / 1_000_000;
      if (left <= 0) {
        break;
      }
      wait(left);
    }
    return rings;
  }

  /** Whether the caller is the one who looks for all; nobody has for a second. */
  synchronized boolean turn() {
    long now = System.nanoTime();
    if (now - looked < SECOND_NS * 9 / 10) {
      return false;
    }
    looked = now;
    return true;
  }
}
