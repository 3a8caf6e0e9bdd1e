package bargelane.service.http;

import bargelane.api.EventView;
import bargelane.service.event.Events;
import bargelane.service.event.Figures;
import bargelane.service.platform.Json;
import io.javalin.http.sse.SseClient;
import java.util.List;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;

/**
 * Server-sent events (WHATWG HTML, section 9.2). A reader goes on after its {@code Last-Event-ID},
 * on any node.
 */
public final class EventStream {

  private static final int BATCH = 200;
  private static final long KEEP_ALIVE_MS = 15_000;

  private final Events events;
  private final ExecutorService threads =
      Executors.newCachedThreadPool(
          r -> {
            Thread t = new Thread(r, "sse");
            t.setDaemon(true);
            return t;
          });

  public EventStream(Events events) {
    this.events = events;
  }

  /** Serves one reader until it leaves. */
  public void serve(SseClient client) {
    client.keepAlive();
    String last = client.ctx().header("Last-Event-ID");
    long from = last != null && last.matches("[0-9]{1,18}") ? Long.parseLong(last) : newest();
    threads.submit(() -> pump(client, from));
  }

  private long newest() {
    List<EventView> all = events.last();
    return all.isEmpty() ? 0 : all.get(0).id();
  }

  private void pump(SseClient client, long from) {
    long after = from;
    try (Figures.Listening figures = events.figures().listen()) {
      client.sendComment("open");
      while (!client.terminated()) {
        long seen = events.rings();
        List<EventView> fresh = events.after(after, BATCH);
        for (EventView e : fresh) {
          client.sendEvent(e.kind(), Json.text(e), String.valueOf(e.id()));
          after = e.id();
        }
        List<EventView> moved = figures.fresh();
        for (EventView f : moved) {
          // Without a number: whoever comes back goes on after the last event.
          client.sendEvent(f.kind(), Json.text(f));
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
    } finally {
      client.close();
    }
  }
}
