package bargelane.service.site;

import bargelane.sites.Compute;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Source;
import bargelane.sites.Target;
import java.lang.reflect.InvocationHandler;
import java.lang.reflect.InvocationTargetException;
import java.lang.reflect.Method;
import java.lang.reflect.Proxy;
import java.time.Duration;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.Semaphore;
import java.util.function.LongSupplier;

/**
 * Lets a site that is silent harm only itself. Calls to a site are bounded in number, the more so
 * while one of them takes long; and a site that was silent is set aside for growing pauses, after
 * which one call at a time asks it again. Nobody waits for a turn: whoever gets none is told at
 * once that it may pass, so that no thread is held.
 */
final class SiteTurns {

  /** Calls to one site at once. */
  static final int MOST_CALLS = 8;

  /** Calls at once to all sites that were silent when they were asked last. */
  static final int MOST_DOUBTFUL = 4;

  /** Calls to one site at once while one of them takes long: it may be silent, or work. */
  static final int MOST_WHEN_SLOW = 4;

  /** An answer that takes longer is slow; a failure after that long is silence. */
  static final Duration SILENCE = Duration.ofSeconds(3);

  private static final Duration FIRST_PAUSE = Duration.ofSeconds(2);
  private static final Duration LONGEST_PAUSE = Duration.ofSeconds(10);

  /** What is going on with one site. Guarded by itself. */
  private static final class Turns {
    /** When each open call began, the oldest first. */
    private final Deque<Long> open = new ArrayDeque<>();

    private int silences;
    private long asideUntil;
  }

  private final Map<String, Turns> sites = new ConcurrentHashMap<>();
  private final Semaphore doubtful = new Semaphore(MOST_DOUBTFUL);
  private final LongSupplier nanos;

  SiteTurns(LongSupplier nanos) {
    this.nanos = nanos;
  }

  /** The driver, whose facets take their turns. */
  SiteDriver of(String siteId, String name, SiteDriver driver) {
    return proxy(
        SiteDriver.class,
        (self, method, arguments) -> {
          Object given = call(siteId, name, driver, method, arguments);
          if (given instanceof Source s && method.getName().equals("source")) {
            return facet(siteId, name, Source.class, s);
          }
          if (given instanceof Target t && method.getName().equals("target")) {
            return facet(siteId, name, Target.class, t);
          }
          if (given instanceof Compute c && method.getName().equals("compute")) {
            return facet(siteId, name, Compute.class, c);
          }
          return given;
        });
  }

  private <T> T facet(String siteId, String name, Class<T> type, T facet) {
    return proxy(type, (self, method, arguments) -> call(siteId, name, facet, method, arguments));
  }

  private static <T> T proxy(Class<T> type, InvocationHandler handler) {
    return type.cast(Proxy.newProxyInstance(type.getClassLoader(), new Class<?>[] {type}, handler));
  }

  private Object call(String siteId, String name, Object on, Method method, Object[] arguments)
      throws Throwable {
    Turns turns = sites.computeIfAbsent(siteId, x -> new Turns());
    long began = nanos.getAsLong();
    boolean doubted = enter(turns, name, began);
    boolean silent = false;
    try {
      return method.invoke(on, arguments);
    } catch (InvocationTargetException e) {
      silent =
          e.getCause() instanceof SiteException s
              && s.kind() == SiteException.Kind.MAY_PASS
              && nanos.getAsLong() - began >= SILENCE.toNanos();
      throw e.getCause();
    } finally {
      leave(turns, began, silent, doubted);
    }
  }

  /** Takes a turn; gives whether it is one of those for sites in doubt. */
  private boolean enter(Turns turns, String name, long now) {
    synchronized (turns) {
      if (turns.silences > 0 && now - turns.asideUntil < 0) {
        throw away(
            name
                + " did not answer when it was asked last; it is asked again in "
                + (1 + (turns.asideUntil - now) / 1_000_000_000)
                + " s");
      }
      Long oldest = turns.open.peekFirst();
      boolean slow = oldest != null && now - oldest >= SILENCE.toNanos();
      if (turns.open.size() >= (turns.silences > 0 ? 1 : slow ? MOST_WHEN_SLOW : MOST_CALLS)) {
        throw away(
            turns.open.size()
                + " calls to "
                + name
                + " are open already, the first for "
                + (now - oldest) / 1_000_000_000
                + " s");
      }
      boolean doubted = turns.silences > 0;
      if (doubted && !doubtful.tryAcquire()) {
        throw away(name + " did not answer when it was asked last, and others are asked first");
      }
      turns.open.addLast(now);
      return doubted;
    }
  }

  private void leave(Turns turns, long began, boolean silent, boolean doubted) {
    synchronized (turns) {
      turns.open.removeFirstOccurrence(began);
      if (doubted) {
        doubtful.release();
      }
      if (silent) {
        long pause =
            Math.min(
                LONGEST_PAUSE.toNanos(), FIRST_PAUSE.toNanos() << Math.min(turns.silences, 10));
        turns.silences++;
        turns.asideUntil = nanos.getAsLong() + pause;
      } else {
        turns.silences = 0;
      }
    }
  }

  private static SiteException away(String why) {
    return new SiteException(SiteException.Kind.MAY_PASS, "unreachable", why, null);
  }
}
