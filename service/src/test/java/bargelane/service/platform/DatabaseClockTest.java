package bargelane.service.platform;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.concurrent.BlockingQueue;
import java.util.concurrent.LinkedBlockingQueue;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.Test;

class DatabaseClockTest {

  private static final Instant NOON = Instant.parse("2026-11-30T12:00:00Z");

  private final AtomicLong count = new AtomicLong(7_000);
  private Instant database = NOON;
  private long answerTakes;

  private DatabaseClock clock(Clock own) {
    return new DatabaseClock(
        () -> {
          count.addAndGet(answerTakes / 2);
          Instant now = database;
          count.addAndGet(answerTakes - answerTakes / 2);
          return now;
        },
        own,
        count::get);
  }

  @Test
  void itGoesByTheDatabaseWhateverTheHostsClockSays() {
    DatabaseClock clock = clock(Clock.fixed(NOON.minusSeconds(3600), ZoneOffset.UTC));
    assertEquals(NOON, clock.instant());
    assertEquals(Duration.ofHours(-1), clock.apart());
    count.addAndGet(Duration.ofSeconds(90).toNanos());
    assertEquals(NOON.plusSeconds(90), clock.instant());
    database = NOON.plusSeconds(100);
    clock.look();
    assertEquals(NOON.plusSeconds(100), clock.instant());
  }

  @Test
  void anAnswerThatTakesLongIsTakenForTheMiddleOfItsWait() {
    answerTakes = Duration.ofSeconds(4).toNanos();
    DatabaseClock clock = clock(Clock.fixed(NOON, ZoneOffset.UTC));
    // The time was read two seconds before the answer was there.
    long afterTheFirst = (TRIES_OF_SLOW - 1) * answerTakes;
    assertEquals(NOON.plusSeconds(2).plusNanos(afterTheFirst), clock.instant());
  }

  private static final int TRIES_OF_SLOW = 3;

  @Test
  void aRealDatabasesTimeIsBetweenTwoOfItsOwn() throws Exception {
    try (TestDatabase test = TestDatabase.open();
        DatabaseClock clock =
            new DatabaseClock(
                test.db(), Clock.offset(Clock.systemUTC(), Duration.ofSeconds(-30)))) {
      // The database is of this host.
      Duration off = Duration.between(clock.instant(), Instant.now()).abs();
      assertTrue(off.compareTo(Duration.ofSeconds(5)) < 0, off.toString());
      BlockingQueue<Duration> told = new LinkedBlockingQueue<>();
      clock.keep(told::add);
      Duration apart = told.poll(60, TimeUnit.SECONDS);
      assertTrue(apart != null && apart.isNegative(), String.valueOf(apart));
      assertFalse(clock.apart().abs().compareTo(Duration.ofSeconds(20)) < 0, "it is 30 s behind");
    }
  }
}
