package bargelane.service.replication;

import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.time.Duration;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;

class StallGuardTest {

  @Test
  void aConnectionThroughWhichNothingComesIsCut() throws Exception {
    CountDownLatch cut = new CountDownLatch(1);
    try (StallGuard guard = new StallGuard(Duration.ofMillis(20), cut::countDown)) {
      guard.beat();
      assertTrue(cut.await(10, TimeUnit.SECONDS));
    }
  }

  @Test
  void oneThatIsDoneInTimeIsLeft() throws Exception {
    CountDownLatch cut = new CountDownLatch(1);
    CountDownLatch later = new CountDownLatch(1);
    new StallGuard(Duration.ofMillis(20), cut::countDown).close();
    // Another that is begun after it and is cut tells that the time of the first is over.
    StallGuard next = new StallGuard(Duration.ofMillis(40), later::countDown);
    assertTrue(later.await(10, TimeUnit.SECONDS));
    next.close();
    assertFalse(cut.getCount() == 0);
  }
}
