package bargelane.service.event;

import bargelane.api.EventView;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.Upkeep;
import java.io.Closeable;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Clock;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.atomic.AtomicLong;
import org.hibernate.Session;
import org.postgresql.PGConnection;
import org.postgresql.PGNotification;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * What happened, stored, and told to everybody who listens, on whichever node they are. Events of
 * committed transactions become visible in the order of their numbers, so that a reader who goes on
 * after the last number it saw misses none.
 */
public final class Events implements Closeable {

  private static final Logger log = LoggerFactory.getLogger(Events.class);
  private static final long ORDER_LOCK = 7401;
  private static final String EVENT = "bargelane_event";
  private static final String OFFER = "bargelane_offer";

  private final Db db;
  private final Clock clock;
  private final Object bell = new Object();
  private final AtomicLong rings = new AtomicLong();
  private final Thread listener;
  private final Figures figures = new Figures(this::ring);
  private volatile Runnable onOffer = () -> {};
  private volatile boolean closed;

  /** Listens for events of all nodes on a connection of its own. */
  public Events(Db db, Clock clock, String url, String user, String password) {
    this.db = db;
    this.clock = clock;
    this.listener = new Thread(() -> listen(url, user, password), "events");
    listener.setDaemon(true);
    listener.start();
  }

  /** Deletes events that told of single steps and progress; see {@link Upkeep}. */
  public static final String TIDY =
      "delete from event where kind in ('step', 'progress', 'pass') and at < ?1";

  /** More events than are told between a backup and its restore. */
  private static final long SINCE_BACKUP = 100_000_000;

  /** Deletes all events; see {@link Upkeep}. */
  public static final String PAST = "delete from event where at < ?1";

  /**
   * After a restore: events that are told from now on have higher numbers than any that were told
   * since the backup was made, so that whoever had read on misses none.
   */
  public static void restored(Session session) {
    session
        .createNativeQuery(
            "select setval(pg_get_serial_sequence('event', 'id'), nextval(pg_get_serial_sequence('event', 'id')) + "
                + SINCE_BACKUP
                + ")",
            Object.class)
        .getSingleResult();
  }

  /** What is told to listeners and not stored. */
  public Figures figures() {
    return figures;
  }

  /** Records an event in the caller's transaction. */
  public void tell(
      Session session, String kind, String subject, String runId, String text, Object data) {
    session
        .createNativeQuery("select pg_advisory_xact_lock(" + ORDER_LOCK + ")", Object.class)
        .getResultList();
    EventEntity event = new EventEntity();
    event.at = clock.instant();
    event.kind = kind;
    event.subject = subject;
    event.runId = runId == null ? "" : runId;
    event.text = text;
    event.actor = Actor.now();
    event.data = data == null ? null : Json.text(data);
    session.persist(event);
  }

  /** Tells all nodes that there is work for tugs, once the caller's transaction is committed. */
  public void offered(Session session) {
    session
        .createNativeQuery("select pg_notify('" + OFFER + "', '')", Object.class)
        .getResultList();
  }

  /** Has something done whenever a node has work for tugs. */
  public void onOffer(Runnable ring) {
    onOffer = ring;
  }

  /** The newest event, if there is one. */
  public List<EventView> last() {
    return db.tx(
        s ->
            Db.query(s, EventEntity.class, "from EventEntity order by id desc")
                .setMaxResults(1)
                .getResultList()
                .stream()
                .map(Events::view)
                .toList());
  }

  /** Events after a number, oldest first. */
  public List<EventView> after(long id, int most) {
    return after(id, most, Optional.empty());
  }

  /** The same, of some subjects only where they are given. */
  public List<EventView> after(long id, int most, Optional<Set<String>> subjects) {
    return db.tx(
        s ->
            Db.query(
                    s,
                    EventEntity.class,
                    "from EventEntity where id > ?1 and (?2 = true or subject in ?3) order by id",
                    id,
                    subjects.isEmpty(),
                    subjects.orElse(Set.of("")))
                .setMaxResults(most)
                .getResultList()
                .stream()
                .map(Events::view)
                .toList());
  }

  /**
   * The newest events that people look back at, newest first: not single steps, progress and
   * passes.
   *
   * @param subjects of which; of all where none are given
   */
  public List<EventView> newest(Session session, int most, Optional<Set<String>> subjects) {
    return Db.query(
            session,
            EventEntity.class,
            "from EventEntity where kind not in ('step', 'progress', 'pass')"
                + " and (?1 = true or subject in ?2) order by id desc",
            subjects.isEmpty(),
            subjects.orElse(Set.of("")))
        .setMaxResults(most)
        .getResultList()
        .stream()
        .map(Events::view)
        .toList();
  }

  private static EventView view(EventEntity e) {
    return new EventView(
        e.id,
        e.at,
        e.kind,
        e.subject,
        e.runId,
        e.text,
        e.actor,
        e.data == null ? null : Json.object(e.data));
  }

  /** Count of rings so far, to be given to {@link #await}. */
  public long rings() {
    return rings.get();
  }

  /** Waits until something happened since {@code seen}, or the time is over. */
  public void await(long seen, long millis) throws InterruptedException {
    long until = System.nanoTime() + millis * 1_000_000;
    synchronized (bell) {
      while (rings.get() == seen && !closed) {
        long left = (until - System.nanoTime()) / 1_000_000;
        if (left <= 0) {
          return;
        }
        bell.wait(left);
      }
    }
  }

  /** Has everybody who waits on this node look again. */
  public void ring() {
    synchronized (bell) {
      rings.incrementAndGet();
      bell.notifyAll();
    }
  }

  private void listen(String url, String user, String password) {
    while (!closed) {
      try (Connection connection = DriverManager.getConnection(url, user, password);
          Statement statement = connection.createStatement()) {
        statement.execute("listen " + EVENT);
        statement.execute("listen " + OFFER);
        ring();
        PGConnection pg = connection.unwrap(PGConnection.class);
        while (!closed) {
          Set<String> heard = new HashSet<>();
          for (PGNotification n : pg.getNotifications(1000)) {
            heard.add(n.getName());
          }
          if (heard.contains(OFFER)) {
            onOffer.run();
          }
          if (heard.contains(EVENT)) {
            ring();
          }
        }
      } catch (SQLException e) {
        if (!closed) {
          log.warn("listening for events failed, trying again: {}", e.getMessage());
          // Readers are told by the end of their streams that what they see is old.
          db.suspect();
          ring();
          try {
            await(rings(), 1000);
          } catch (InterruptedException interrupted) {
            return;
          }
        }
      }
    }
  }

  @Override
  public void close() {
    closed = true;
    figures.close();
    ring();
  }
}
