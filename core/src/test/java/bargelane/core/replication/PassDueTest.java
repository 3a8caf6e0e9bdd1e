package bargelane.core.replication;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.time.Duration;
import java.time.Instant;
import java.util.Optional;
import org.junit.jupiter.api.Test;

class PassDueTest {

  private static final Instant NOW = Instant.parse("2026-11-01T12:00:00Z");
  private static final Duration EVERY = Duration.ofSeconds(60);

  @Test
  void theFirstPassIsDueAtOnceAndEachNextAPeriodAfterTheLastBegan() {
    assertEquals(NOW, PassDue.next(Optional.empty(), EVERY, NOW));
    assertEquals(NOW.plusSeconds(20), PassDue.next(Optional.of(NOW.minusSeconds(40)), EVERY, NOW));
    assertEquals(
        NOW.minusSeconds(540), PassDue.next(Optional.of(NOW.minusSeconds(600)), EVERY, NOW));
  }

  @Test
  void aClockThatSteppedBackAnHourPutsThePassOffByOnePeriodOnly() {
    assertEquals(NOW.plusSeconds(60), PassDue.next(Optional.of(NOW.plusSeconds(3600)), EVERY, NOW));
  }

  @Test
  void theKindFollowsFromWhatTheSourceKnowsAndWhatTheReplicaHolds() {
    assertEquals(PassKind.DELTA, PassKind.next(true, false));
    assertEquals(PassKind.FULL, PassKind.next(false, true));
    assertEquals(PassKind.COMPARE, PassKind.next(false, false));
  }
}
