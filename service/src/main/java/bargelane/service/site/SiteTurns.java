package bargelane.service.site;

import bargelane.sites.Acting;
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
 * which one call at a time asks it again. A few wait in line for their turn at a site that works,
 * for a moment only; whoever finds no place in it is told at once that the site is busy, so that no
 * site holds many threads. A quarter of the turns and of the line is kept for moves, whose machines
 * stand still meanwhile: others wait until it is free again. Moves are not bounded the more at a
 * site that is slow, since shutting machines down is slow.
 */
final class SiteTurns {

  /** Calls to one site at once. */
  static final int MOST_CALLS = 8;

  /** Calls at once to all sites that were silent when they were asked last. */
  static final int MOST_DOUBTFUL = 4;

  /**
   * Calls to one site at once, of those who move nothing, while one of them takes long: it may be
   * silent, or work.
   */
  static final int MOST_WHEN_SLOW = 4;

  /** An answer that takes longer is slow; a failure after that long is silence. */
  static final Duration SILENCE = Duration.ofSeconds(3);

  /** How long a turn is usually waited for. */
  static final Duration LINE = Duration.ofSeconds(2);

  /** Those who wait in line at one site, and at all. */
  static final int MOST_IN_LINE = 8;

  static final int MOST_IN_ALL_LINES = 24;

  private static final Duration FIRST_PAUSE = Duration.ofSeconds(2);
  private static final Duration LONGEST_PAUSE = Duration.ofSeconds(10);

  /** What is going on with one site. Guarded by itself. */
  private static final class Turns {
    /** When each open call began, the oldest first. */
    private final Deque<Long> open = new ArrayDeque<>();

    private int silences;
    private long asideUntil;
    private int inLine;
  }

  private final Map<String, Turns> sites = new ConcurrentHashMap<>();
  private final Semaphore doubtful = new Semaphore(MOST_DOUBTFUL);
  private final Semaphore lines = new Semaphore(MOST_IN_ALL_LINES);
  private final LongSupplier nanos;
  private final Duration line;

  /**
   * @param line how long a turn is waited for
   */
  SiteTurns(LongSupplier nanos, Duration line) {
    this.nanos = nanos;
    this.line = line;
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
    Turn turn = enter(turns, name);
    boolean silent = false;
    try {
      return method.invoke(on, arguments);
    } catch (InvocationTargetException e) {
      silent =
          e.getCause() instanceof SiteException s
              && s.kind() == SiteException.Kind.MAY_PASS
              && nanos.getAsLong() - turn.began >= SILENCE.toNanos();
      throw e.getCause();
    } finally {
      leave(turns, turn, silent);
    }
  }

  /**
   * A call's turn.
   *
   * @param doubted whether it is one of those for sites in doubt
   */
  private record Turn(long began, boolean doubted) {}

  private Turn enter(Turns turns, String name) {
    boolean move = Acting.current().filter(Acting::move).isPresent();
    synchronized (turns) {
      if (full(turns, move) && turns.silences == 0) {
        line(turns, name, move);
      }
      long now = nanos.getAsLong();
      if (turns.silences > 0 && now - turns.asideUntil < 0) {
        throw away(
            name
                + " did not answer when it was asked last; it is asked again in "
                + (1 + (turns.asideUntil - now) / 1_000_000_000)
                + " s");
      }
      if (full(turns, move)) {
        throw busy(turns, name, "");
      }
      boolean doubted = turns.silences > 0;
      if (doubted && !doubtful.tryAcquire()) {
        throw away(name + " did not answer when it was asked last, and others are asked first");
      }
      turns.open.addLast(now);
      return new Turn(now, doubted);
    }
  }

  private boolean full(Turns turns, boolean move) {
    if (turns.silences > 0) {
      return !turns.open.isEmpty();
    }
    Long oldest = turns.open.peekFirst();
    boolean slow = oldest != null && nanos.getAsLong() - oldest >= SILENCE.toNanos();
    return turns.open.size() >= share(slow && !move ? MOST_WHEN_SLOW : MOST_CALLS, move);
  }

  /** What of some places is for moves, or for everybody else. */
  private static int share(int places, boolean move) {
    return move ? places : places - places / 4;
  }

  /** Waits for a turn, while the site works and there is a place in the line. */
  private void line(Turns turns, String name, boolean move) {
    if (turns.inLine >= share(MOST_IN_LINE, move) || !lines.tryAcquire()) {
      throw busy(turns, name, " and others wait");
    }
    turns.inLine++;
    try {
      long until = System.nanoTime() + line.toNanos();
      long left = line.toMillis();
      while (left > 0 && full(turns, move) && turns.silences == 0) {
        turns.wait(left);
        left = (until - System.nanoTime()) / 1_000_000;
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw busy(turns, name, " and who waited was interrupted");
    } finally {
      turns.inLine--;
      lines.release();
    }
  }

  private SiteException busy(Turns turns, String name, String more) {
    Long oldest = turns.open.peekFirst();
    return new SiteException(
        SiteException.Kind.MAY_PASS,
        SiteException.BUSY,
        turns.open.size()
            + " calls to "
            + name
            + " are open already, the first for "
            + (oldest == null ? 0 : (nanos.getAsLong() - oldest) / 1_000_000_000)
            + " s"
            + more,
        null);
  }

  private void leave(Turns turns, Turn turn, boolean silent) {
    synchronized (turns) {
      turns.open.removeFirstOccurrence(turn.began);
      turns.notifyAll();
      if (turn.doubted) {
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
