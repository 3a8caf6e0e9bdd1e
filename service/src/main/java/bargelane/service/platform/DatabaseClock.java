package bargelane.service.platform;

import java.io.Closeable;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.function.Consumer;
import java.util.function.LongSupplier;
import java.util.function.Supplier;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * The database's time, which is the same for all nodes: asked for at the start and every ten
 * seconds, and carried on in between, and while the database is away, by a counter that nobody
 * sets. So leases and timetables go on rightly on a host whose clock is wrong or is set.
 */
public final class DatabaseClock extends Clock implements Closeable {

  /** So far apart a host's clock and the database's are worth a word. */
  public static final Duration WORTH_TELLING = Duration.ofSeconds(2);

  private static final Logger log = LoggerFactory.getLogger(DatabaseClock.class);
  private static final int EVERY_SECONDS = 10;
  private static final int TRIES = 3;
  private static final long NEAR_NS = TimeUnit.MILLISECONDS.toNanos(50);

  /** The database's time at a count. */
  private record Told(Instant at, long count) {}

  private final Supplier<Instant> database;
  private final Clock own;
  private final LongSupplier counter;
  private final CountDownLatch closing = new CountDownLatch(1);
  private volatile Told told;
  private @Nullable Thread keeper;
  private volatile Duration apart = Duration.ZERO;

  /**
   * Asks once.
   *
   * @param own the host's clock
   */
  public DatabaseClock(Db db, Clock own) {
    this(
        () ->
            db.tx(
                s ->
                    s.createNativeQuery("select clock_timestamp()", Instant.class)
                        .getSingleResult()),
        own,
        System::nanoTime);
  }

  DatabaseClock(Supplier<Instant> database, Clock own, LongSupplier counter) {
    this.database = database;
    this.own = own;
    this.counter = counter;
    look();
  }

  /**
   * Goes on asking until it is closed.
   *
   * @param far is told once each time that the host's clock and the database's have come apart
   */
  public void keep(Consumer<Duration> far) {
    keeper = new Thread(() -> ask(far), "database-clock");
    keeper.setDaemon(true);
    keeper.start();
  }

  private void ask(Consumer<Duration> far) {
    boolean known = false;
    try {
      do {
        try {
          boolean now = apart.abs().compareTo(WORTH_TELLING) > 0;
          if (now && !known) {
            far.accept(apart);
          }
          known = now;
          look();
        } catch (RuntimeException e) {
          log.debug("the database's time can't be asked for: {}", e.getMessage());
        }
      } while (!closing.await(EVERY_SECONDS, TimeUnit.SECONDS));
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  /** Asks, a few times where the answer takes long, and takes the middle of the shortest wait. */
  void look() {
    long shortest = Long.MAX_VALUE;
    for (int i = 0; i < TRIES && shortest > NEAR_NS; i++) {
      long before = counter.getAsLong();
      Instant at = database.get();
      long waited = counter.getAsLong() - before;
      if (waited < shortest) {
        shortest = waited;
        told = new Told(at, before + waited / 2);
        apart = Duration.between(instant(), own.instant());
      }
    }
  }

  /** How far the host's clock is ahead of the database's; negative where it is behind. */
  public Duration apart() {
    return apart;
  }

  @Override
  public Instant instant() {
    Told last = told;
    return last.at.plusNanos(counter.getAsLong() - last.count);
  }

  @Override
  public ZoneId getZone() {
    return ZoneOffset.UTC;
  }

  @Override
  public Clock withZone(ZoneId zone) {
    throw new UnsupportedOperationException("the service's times are in UTC");
  }

  /** Ends the asking; a question that is on its way is waited for. */
  @Override
  public void close() {
    closing.countDown();
    if (keeper != null) {
      try {
        keeper.join(TimeUnit.SECONDS.toMillis(EVERY_SECONDS));
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
      }
    }
  }
}
