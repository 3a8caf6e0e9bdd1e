package bargelane.service.site;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertSame;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.doAnswer;
import static org.mockito.Mockito.doNothing;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.times;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.sites.Acting;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Target;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.atomic.AtomicLong;
import java.util.function.Supplier;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;

/** What a silent site costs the others; time is the test's. */
class SiteTurnsTest {

  /** What is left to those who move nothing. */
  private static final int CALLS = SiteTurns.MOST_CALLS * 3 / 4;

  private static final int CALLS_WHEN_SLOW = SiteTurns.MOST_WHEN_SLOW * 3 / 4;
  private static final int IN_LINE = SiteTurns.MOST_IN_LINE * 3 / 4;

  private final AtomicLong nanos = new AtomicLong();
  private SiteTurns turns = new SiteTurns(nanos::get, Duration.ZERO);
  private final CountDownLatch answer = new CountDownLatch(1);
  private final List<CompletableFuture<?>> open = new ArrayList<>();

  @AfterEach
  void answered() {
    answer.countDown();
    open.forEach(f -> f.handle((x, e) -> x).join());
  }

  private void passes(long seconds) {
    nanos.addAndGet(seconds * 1_000_000_000);
  }

  private Target target(String site, Target of) {
    SiteDriver driver = mock(SiteDriver.class);
    when(driver.target()).thenReturn(of);
    return turns.of(site, site, driver).target();
  }

  /** Begins a call that is not answered before the test ends, and waits until it is at the site. */
  private void call(Target target, Target site) throws InterruptedException {
    CountDownLatch there = new CountDownLatch(1);
    doAnswer(
            x -> {
              there.countDown();
              answer.await();
              return null;
            })
        .when(site)
        .closeExport("slow");
    boolean move = Acting.current().isPresent();
    Runnable asks = () -> target.closeExport("slow");
    open.add(
        async(
            () -> {
              if (move) {
                moves(asks::run);
              } else {
                asks.run();
              }
              return true;
            }));
    there.await();
  }

  private static String refused(Runnable call) {
    SiteException e = assertThrows(SiteException.class, call::run);
    assertEquals(SiteException.Kind.MAY_PASS, e.kind());
    return e.getMessage();
  }

  @Test
  void whoAsksASiteThatIsSilentIsToldAtOnceAndOtherSitesAreAskedAllTheSame() throws Exception {
    Target silent = mock(Target.class);
    Target asked = target("hithe", silent);
    for (int i = 0; i < CALLS_WHEN_SLOW; i++) {
      call(asked, silent);
    }
    asked.closeExport("quick");
    passes(3);
    assertEquals(
        "3 calls to hithe are open already, the first for 3 s",
        refused(() -> asked.closeExport("quick")));
    verify(silent, times(1)).closeExport("quick");
    Target other = mock(Target.class);
    target("mole", other).closeExport("quick");
    verify(other).closeExport("quick");
  }

  @Test
  void callsToOneSiteAreBounded() throws Exception {
    Target site = mock(Target.class);
    Target asked = target("hithe", site);
    for (int i = 0; i < CALLS; i++) {
      call(asked, site);
    }
    assertEquals(
        "6 calls to hithe are open already, the first for 0 s",
        refused(() -> asked.closeExport("quick")));
  }

  @Test
  void movesFindATurnWhereOthersFindNone() throws Exception {
    Target site = mock(Target.class);
    Target asked = target("hithe", site);
    for (int i = 0; i < CALLS; i++) {
      call(asked, site);
    }
    refused(() -> asked.closeExport("quick"));
    for (int i = CALLS; i < SiteTurns.MOST_CALLS; i++) {
      moves(() -> call(asked, site));
    }
    assertEquals(
        "8 calls to hithe are open already, the first for 0 s",
        refused(() -> moves(() -> asked.closeExport("quick"))));
  }

  private interface Call {
    void run() throws InterruptedException;
  }

  /** As a run that moves machines. */
  private static void moves(Call call) {
    new Acting("move", 1, true)
        .run(
            () -> {
              try {
                call.run();
              } catch (InterruptedException e) {
                throw new IllegalStateException(e);
              }
              return null;
            });
  }

  @Test
  void whoFindsNoTurnAtASiteThatWorksWaitsInLineForOne() throws Exception {
    turns = new SiteTurns(nanos::get, Duration.ofSeconds(30));
    Target site = mock(Target.class);
    Target asked = target("hithe", site);
    for (int i = 0; i < CALLS; i++) {
      call(asked, site);
    }
    CountDownLatch full = new CountDownLatch(1);
    List<CompletableFuture<Boolean>> line = new ArrayList<>();
    for (int i = 0; i <= IN_LINE; i++) {
      line.add(
          async(
              () -> {
                try {
                  asked.closeExport("quick");
                  return true;
                } catch (SiteException busy) {
                  assertEquals(SiteException.BUSY, busy.code());
                  assertTrue(busy.getMessage().endsWith("and others wait"), busy.getMessage());
                  full.countDown();
                  return false;
                }
              }));
    }
    full.await();
    verify(site, never()).closeExport("quick");
    answer.countDown();
    assertEquals(IN_LINE, line.stream().filter(CompletableFuture::join).count());
    verify(site, times(IN_LINE)).closeExport("quick");
  }

  /** On a thread of its own: the common ones are as few as the processors. */
  private static <T> CompletableFuture<T> async(Supplier<T> what) {
    return CompletableFuture.supplyAsync(what, r -> new Thread(r).start());
  }

  /** A call that fails after a long silence. */
  private void silence(Target asked, Target site) {
    doAnswer(
            x -> {
              passes(10);
              throw new SiteException(
                  SiteException.Kind.MAY_PASS, "unreachable", "it timed out", null);
            })
        .when(site)
        .deletePoint(any());
    assertEquals("it timed out", refused(() -> asked.deletePoint("p")));
  }

  @Test
  void aSiteThatWasSilentIsAskedAgainAfterPausesThatGrowAndAtOnceWhenItAnswered() {
    Target site = mock(Target.class);
    Target asked = target("hithe", site);
    long[] pauses = {2, 4, 8, 10, 10};
    for (long pause : pauses) {
      silence(asked, site);
      passes(pause - 1);
      assertTrue(refused(() -> asked.deletePoint("p")).contains("asked again in"));
      passes(1);
    }
    verify(site, times(pauses.length)).deletePoint("p");
    doNothing().when(site).deletePoint(any());
    asked.deletePoint("p");
    asked.deletePoint("p");
    silence(asked, site);
    passes(2);
    doNothing().when(site).deletePoint(any());
    asked.deletePoint("p");
  }

  @Test
  void aSiteThatSaysNoAtOnceIsNotSetAside() {
    Target site = mock(Target.class);
    SiteException no =
        new SiteException(SiteException.Kind.MAY_PASS, "unreachable", "refused", null);
    doAnswer(
            x -> {
              throw no;
            })
        .when(site)
        .deletePoint(any());
    Target asked = target("hithe", site);
    assertSame(no, assertThrows(SiteException.class, () -> asked.deletePoint("p")));
    assertSame(no, assertThrows(SiteException.class, () -> asked.deletePoint("p")));
  }

  @Test
  void ofManySilentSitesOnlyAFewAreAskedAtATime() throws Exception {
    List<Target> sites = new ArrayList<>();
    List<Target> asked = new ArrayList<>();
    for (int i = 0; i < 14; i++) {
      sites.add(mock(Target.class));
      asked.add(target("s" + i, sites.get(i)));
      silence(asked.get(i), sites.get(i));
    }
    passes(3600);
    for (int i = 0; i < SiteTurns.MOST_DOUBTFUL; i++) {
      call(asked.get(i), sites.get(i));
      int one = i;
      assertEquals(
          "1 calls to s" + i + " are open already, the first for 0 s",
          refused(() -> asked.get(one).deletePoint("p")));
    }
    Set<String> others =
        Set.of("s4 did not answer when it was asked last, and others are asked first");
    assertTrue(others.contains(refused(() -> asked.get(4).deletePoint("p"))));
    answered();
    asked.get(4).closeExport("quick");
  }
}
