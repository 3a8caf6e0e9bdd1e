package bargelane.service.event;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.EventView;
import bargelane.service.platform.TestDatabase;
import java.io.IOException;
import java.time.Clock;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicReference;
import org.junit.jupiter.api.Test;

class EventsTest {

  @Test
  void eventsComeInOrderAndWakeWhoeverWaits() throws IOException, InterruptedException {
    try (TestDatabase database = TestDatabase.open();
        Events events =
            new Events(
                database.db(), Clock.systemUTC(), database.url, "bargelane", database.password)) {
      long seen = events.rings();
      database.db().run(s -> events.tell(s, "site", "s", null, "something", Map.of("n", 1)));
      events.await(seen, 5000);
      assertTrue(events.rings() > seen);
      long last = events.last().get(0).id();
      for (int i = 0; i < 5; i++) {
        String text = "event " + i;
        database.db().run(s -> events.tell(s, "site", "s", null, text, null));
      }
      assertEquals(
          List.of("event 0", "event 1", "event 2", "event 3", "event 4"),
          events.after(last, 10).stream().map(e -> e.text()).toList());
    }
  }

  /** On all nodes, and not before the work is stored. */
  @Test
  void whoeverHasTugsHearsOfWorkOnceItIsStored() throws IOException, InterruptedException {
    try (TestDatabase database = TestDatabase.open();
        Events one = listens(database);
        Events other = listens(database)) {
      CountDownLatch heard = new CountDownLatch(2);
      one.onOffer(heard::countDown);
      other.onOffer(heard::countDown);
      database
          .db()
          .run(
              s -> {
                one.offered(s);
                assertEquals(2, heard.getCount());
              });
      assertTrue(heard.await(5, TimeUnit.SECONDS));
    }
  }

  @Test
  void figuresAreToldToWhoListensOnceForEachChangeAndStoredNowhere() throws Exception {
    try (TestDatabase database = TestDatabase.open();
        Events events = listens(database)) {
      AtomicInteger looks = new AtomicInteger();
      AtomicReference<List<EventView>> now = new AtomicReference<>(List.of());
      events
          .figures()
          .from(
              () -> {
                looks.incrementAndGet();
                return now.get();
              });
      try (Figures.Listening one = events.figures().listen();
          Figures.Listening other = events.figures().listen()) {
        now.set(List.of(figure("w1", 1), figure("w2", 5)));
        assertEquals(List.of("w1 1", "w2 5"), told(events, one));
        assertEquals(List.of("w1 1", "w2 5"), told(events, other));
        now.set(List.of(figure("w1", 2), figure("w2", 5)));
        assertEquals(List.of("w1 2"), told(events, one), "only what has changed");
        now.set(List.of(figure("w2", 6)));
        assertEquals(List.of("w2 6"), told(events, one));
        assertEquals(List.of("w2 6"), told(events, other), "the newest, if it was away meanwhile");
      }
      assertTrue(looks.get() >= 3);
      assertEquals(List.of(), events.last());
    }
  }

  private static EventView figure(String wave, int done) {
    return new EventView(0, Instant.EPOCH, "progress", wave, "run", "", "", Map.of("done", done));
  }

  private static List<String> told(Events events, Figures.Listening by)
      throws InterruptedException {
    while (true) {
      long seen = events.rings();
      List<EventView> fresh = by.fresh();
      if (!fresh.isEmpty()) {
        return fresh.stream()
            .map(f -> f.subject() + " " + ((Map<?, ?>) f.data()).get("done"))
            .sorted()
            .toList();
      }
      events.await(seen, 5000);
    }
  }

  private static Events listens(TestDatabase database) throws InterruptedException {
    Events events =
        new Events(database.db(), Clock.systemUTC(), database.url, "bargelane", database.password);
    // It rings once when it listens.
    events.await(0, 5000);
    return events;
  }
}
