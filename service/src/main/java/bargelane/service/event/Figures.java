package bargelane.service.event;

import bargelane.api.EventView;
import java.io.Closeable;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import java.util.function.Supplier;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Figures that change all the while, such as how far passes are: told to whoever listens on this
 * node, and no events, which are stored in one order and made one after another. They are looked at
 * once a second, by one for all, while anybody listens.
 */
public final class Figures implements Closeable {

  private static final Logger log = LoggerFactory.getLogger(Figures.class);

  /** A figure, and the look at which it was first seen so. */
  private record Seen(EventView figure, long look) {}

  private final Runnable ring;
  private final ScheduledExecutorService clock;
  private final Map<String, Seen> seen = new HashMap<>();
  private Supplier<List<EventView>> now = List::of;
  private long looks;
  private int listeners;

  /**
   * @param ring wakes those who listen
   */
  Figures(Runnable ring) {
    this.ring = ring;
    this.clock =
        Executors.newSingleThreadScheduledExecutor(
            r -> {
              Thread thread = new Thread(r, "figures");
              thread.setDaemon(true);
              return thread;
            });
    clock.scheduleWithFixedDelay(this::look, 1, 1, TimeUnit.SECONDS);
  }

  /** Where they come from: what can't be told from another by kind, subject and run is one. */
  public synchronized void from(Supplier<List<EventView>> figures) {
    now = figures;
  }

  /** Somebody listens, until what this gives is closed. */
  public synchronized Listening listen() {
    listeners++;
    return new Listening();
  }

  /** One who listens. */
  public final class Listening implements AutoCloseable {

    private long told = looks;

    /** What has changed since this was last asked. */
    public List<EventView> fresh() {
      synchronized (Figures.this) {
        List<EventView> fresh = new ArrayList<>();
        for (Seen s : seen.values()) {
          if (s.look > told) {
            fresh.add(s.figure);
          }
        }
        told = looks;
        return fresh;
      }
    }

    @Override
    public void close() {
      synchronized (Figures.this) {
        listeners--;
      }
    }
  }

  private void look() {
    Supplier<List<EventView>> source;
    synchronized (this) {
      if (listeners == 0) {
        seen.clear();
        return;
      }
      source = now;
    }
    try {
      if (changed(source.get())) {
        ring.run();
      }
    } catch (RuntimeException e) {
      // The database may be away; the next look finds out.
      log.debug("figures can't be looked at: {}", e.getMessage());
    }
  }

  private synchronized boolean changed(List<EventView> figures) {
    looks++;
    Map<String, Seen> fresh = new HashMap<>();
    boolean changed = false;
    for (EventView f : figures) {
      String key = f.kind() + " " + f.subject() + " " + f.run();
      Seen before = seen.get(key);
      boolean same = before != null && before.figure.data().equals(f.data());
      fresh.put(key, same ? before : new Seen(f, looks));
      changed |= !same;
    }
    seen.clear();
    seen.putAll(fresh);
    return changed;
  }

  @Override
  public void close() {
    clock.shutdownNow();
  }
}
