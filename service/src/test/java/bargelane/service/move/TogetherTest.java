package bargelane.service.move;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertSame;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.service.run.Work;
import bargelane.sites.Acting;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.CyclicBarrier;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.Test;

class TogetherTest {

  private static void quietly(AutoCloseable wait) {
    try {
      wait.close();
    } catch (Exception e) {
      throw new IllegalStateException(e);
    }
  }

  @Test
  void asManyAsMayAreDoneAtOnceForTheSame() {
    Acting acting = new Acting("work", 3, false);
    CyclicBarrier three = new CyclicBarrier(3);
    AtomicInteger most = new AtomicInteger();
    AtomicInteger now = new AtomicInteger();
    Set<Optional<Acting>> seen = ConcurrentHashMap.newKeySet();
    acting.run(
        () -> {
          Together.each(
              List.of(1, 2, 3, 4, 5, 6),
              3,
              n -> {
                most.accumulateAndGet(now.incrementAndGet(), Math::max);
                seen.add(Acting.current());
                quietly(() -> three.await(10, TimeUnit.SECONDS));
                now.decrementAndGet();
              });
          return null;
        });
    assertEquals(3, most.get());
    assertEquals(Set.of(Optional.of(acting)), seen);
  }

  @Test
  void itFailsOnceNothingIsBeingDoneAnyMore() {
    CountDownLatch failed = new CountDownLatch(1);
    AtomicInteger done = new AtomicInteger();
    RuntimeException first = new IllegalStateException("first");
    RuntimeException told =
        assertThrows(
            RuntimeException.class,
            () ->
                Together.each(
                    List.of(1, 2, 3),
                    3,
                    n -> {
                      if (n == 1) {
                        failed.countDown();
                        throw first;
                      }
                      quietly(() -> assertTrue(failed.await(10, TimeUnit.SECONDS)));
                      done.incrementAndGet();
                    }));
    assertSame(first, told);
    assertEquals(2, done.get());
  }

  @Test
  void aRunThatWasTakenOverIsToldBeforeAllElse() {
    assertThrows(
        Work.StaleEpoch.class,
        () ->
            Together.each(
                List.of(1, 2),
                2,
                n -> {
                  throw n == 1 ? new IllegalStateException("1") : new Work.StaleEpoch("run");
                }));
  }
}
