package bargelane.service.http;

import bargelane.api.EventView;
import bargelane.core.account.Need;
import bargelane.service.account.Caller;
import bargelane.service.account.Tokens;
import bargelane.service.event.Events;
import bargelane.service.event.Figures;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import io.javalin.http.Context;
import io.javalin.http.sse.SseClient;
import java.io.Closeable;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;

/**
 * Server-sent events (WHATWG HTML, section 9.2). A reader goes on after its {@code Last-Event-ID},
 * on any node. Each takes a thread, so an account may have some and all together a limit; one whose
 * session or token has ended is ended too.
 */
final class EventStream implements Closeable {

  private static final int BATCH = 200;
  private static final long KEEP_ALIVE_MS = 15_000;
  private static final long CHECK_NS = TimeUnit.SECONDS.toNanos(5);
  private static final int MOST_OF_ACCOUNT = 30;
  private static final int MOST = 300;
  private static final long ENDING_SECONDS = 5;
  private static final String CALLER = "caller";
  private static final String ENDED = "ended";

  private final Events events;
  private final Tokens tokens;
  private final Limits limits;
  private volatile boolean closed;
  private final Map<String, Integer> open = new ConcurrentHashMap<>();
  private final ExecutorService threads =
      Executors.newCachedThreadPool(
          r -> {
            Thread t = new Thread(r, "sse");
            t.setDaemon(true);
            return t;
          });

  EventStream(Events events, Tokens tokens, Limits limits) {
    this.limits = limits;
    this.events = events;
    this.tokens = tokens;
  }

  /**
   * Lets a reader in.
   *
   * @throws ProblemException 429 if the account, or all together, have as many as they may
   */
  void admit(Context ctx, Callers callers, Set<Need> needs) {
    // Before it is seen who calls: what ends from here on is noticed.
    ctx.attribute(ENDED, tokens.ended());
    Caller caller = callers.allowed(ctx, needs);
    int all = open.values().stream().mapToInt(n -> n).sum();
    if (all >= MOST || open.getOrDefault(caller.account(), 0) >= MOST_OF_ACCOUNT) {
      throw new ProblemException(
              429,
              "streams-too-many",
              "there are "
                  + (all >= MOST ? all : open.get(caller.account()) + " of " + caller.account())
                  + " readers of events",
              "close those that nobody looks at")
          .after(KEEP_ALIVE_MS / 1000);
    }
    ctx.attribute(CALLER, caller);
  }

  /** Serves one reader until it leaves, or is no longer signed in. */
  void serve(SseClient client) {
    Caller caller = client.ctx().attribute(CALLER);
    Long ended = client.ctx().attribute(ENDED);
    client.keepAlive();
    String last = client.ctx().header("Last-Event-ID");
    long from = last != null && last.matches("[0-9]{1,18}") ? Long.parseLong(last) : newest();
    if (open.merge(caller.account(), 1, Integer::sum) > MOST_OF_ACCOUNT) {
      // Many came in the same moment.
      left(caller);
      client.close();
      return;
    }
    threads.submit(
        () -> {
          try {
            pump(client, caller, ended, from);
          } finally {
            left(caller);
            client.close();
          }
        });
  }

  /**
   * Ends all readers, before the server stops: one that is ended on a connection that is no more
   * never comes to its end.
   */
  @Override
  public void close() {
    closed = true;
    events.ring();
    threads.shutdown();
    try {
      threads.awaitTermination(ENDING_SECONDS, TimeUnit.SECONDS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  private void left(Caller caller) {
    open.computeIfPresent(caller.account(), (a, n) -> n == 1 ? null : n - 1);
  }

  private long newest() {
    List<EventView> all = events.last();
    return all.isEmpty() ? 0 : all.get(0).id();
  }

  private void pump(SseClient client, Caller admitted, long endedBefore, long from) {
    Caller caller = admitted;
    long after = from;
    long ended = endedBefore;
    long checked = System.nanoTime();
    try (Figures.Listening figures = events.figures().listen()) {
      client.sendComment("open");
      while (!closed && !client.terminated()) {
        long seen = events.rings();
        // What another node ended is seen a little later.
        if (tokens.ended() != ended || System.nanoTime() - checked > CHECK_NS) {
          ended = tokens.ended();
          checked = System.nanoTime();
          // With what they may see by now.
          Optional<Caller> now = tokens.again(caller);
          if (now.isEmpty() || !now.get().may(Need.READ)) {
            return;
          }
          caller = now.get();
        }
        List<EventView> fresh = events.after(after, BATCH);
        List<EventView> moved = figures.fresh();
        Optional<Set<String>> own =
            fresh.isEmpty() && moved.isEmpty() ? Optional.empty() : caller.tows(limits::tows);
        for (EventView e : fresh) {
          if (own.isEmpty() || own.get().contains(e.subject())) {
            client.sendEvent(e.kind(), Json.text(e), String.valueOf(e.id()));
          }
          after = e.id();
        }
        for (EventView f : moved) {
          if (own.isEmpty() || own.get().contains(f.subject())) {
            // Without a number: whoever comes back goes on after the last event.
            client.sendEvent(f.kind(), Json.text(f));
          }
        }
        if (fresh.isEmpty() && moved.isEmpty()) {
          events.await(seen, KEEP_ALIVE_MS);
          if (events.rings() == seen) {
            client.sendComment("still here");
          }
        }
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }
}
