package bargelane.sites.libvirt;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.sites.SiteException;
import com.sun.jna.Pointer;
import java.time.Duration;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.Test;

/** A daemon that accepts and does not answer. */
class OpeningTest {

  private final Opening opening = new Opening("hithe", Duration.ofMillis(50));

  @Test
  void whatIsUnderWayIsNotBegunAgainAndIsTakenOnceItIsThere() {
    CountDownLatch answered = new CountDownLatch(1);
    AtomicInteger begun = new AtomicInteger();
    Pointer connection = new Pointer(1);
    for (int i = 0; i < 3; i++) {
      SiteException silent =
          assertThrows(
              SiteException.class,
              () ->
                  opening.opened(
                      () -> {
                        begun.incrementAndGet();
                        await(answered);
                        return connection;
                      }));
      assertEquals(SiteException.Kind.MAY_PASS, silent.kind());
      assertTrue(silent.getMessage().startsWith("hithe does not answer: "), silent.getMessage());
    }
    assertEquals(1, begun.get());
    answered.countDown();
    assertEquals(
        connection,
        opening.opened(
            () -> {
              throw new IllegalStateException("it is there already");
            }));
  }

  private static void await(CountDownLatch latch) {
    try {
      latch.await();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  @Test
  void aRefusalIsToldAndTheNextCallTriesAnew() {
    SiteException refusal =
        new SiteException(SiteException.Kind.FINAL, "refused", "no entry", null);
    assertEquals(
        refusal,
        assertThrows(
            SiteException.class,
            () ->
                opening.opened(
                    () -> {
                      throw refusal;
                    })));
    assertEquals(new Pointer(2), opening.opened(() -> new Pointer(2)));
  }
}
