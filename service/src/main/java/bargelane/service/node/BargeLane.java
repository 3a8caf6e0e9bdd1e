package bargelane.service.node;

import bargelane.blocks.tls.ServerKeys;
import bargelane.service.event.Events;
import bargelane.service.guest.AgentListener;
import bargelane.service.http.Endpoints;
import bargelane.service.http.HttpApi;
import bargelane.service.http.SecureListener;
import bargelane.service.overview.Measures;
import bargelane.service.overview.OwnMachines;
import bargelane.service.platform.DatabaseClock;
import bargelane.service.platform.Db;
import bargelane.service.platform.Nodes;
import bargelane.service.platform.ProblemException;
import bargelane.tug.Tug;
import com.github.kagkarlsson.scheduler.Scheduler;
import com.github.kagkarlsson.scheduler.SchedulerName;
import io.micrometer.core.instrument.Gauge;
import io.micrometer.core.instrument.binder.jvm.JvmMemoryMetrics;
import io.micrometer.prometheusmetrics.PrometheusConfig;
import io.micrometer.prometheusmetrics.PrometheusMeterRegistry;
import java.io.Closeable;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.net.InetAddress;
import java.net.SocketException;
import java.net.UnknownHostException;
import java.nio.channels.UnresolvedAddressException;
import java.nio.file.Path;
import java.time.Clock;
import java.time.Duration;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.Optional;
import java.util.function.Supplier;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/** One node of the service, put together. */
public final class BargeLane implements Closeable {

  /**
   * How a node is started.
   *
   * @param node names it through its restarts
   * @param kept how long is kept what is looked back at
   */
  public record Options(
      Path home,
      SecureListener.Where listen,
      String databaseUrl,
      String databaseUser,
      String databasePassword,
      String node,
      boolean withTug,
      AgentListener.Where agents,
      Pace pace,
      Kept kept) {}

  /**
   * How long is kept what is looked back at.
   *
   * @param history events, changes of machines, connections
   * @param audit empty for as long as there is room
   */
  public record Kept(Duration history, Optional<Duration> audit) {

    /** What is meant where nothing is said. */
    public static final Kept USUAL = new Kept(Duration.ofDays(730), Optional.empty());
  }

  private static final Logger log = LoggerFactory.getLogger(BargeLane.class);

  private final Db db;
  private final NodeName name;
  private final DatabaseClock time;
  private final String node;
  private final Events events;
  private final Rooms rooms;
  private final Scheduler scheduler;
  private final SecureListener listener;
  private final HttpApi http;
  private final Tug tug;

  /**
   * Starts it.
   *
   * @param clock the host's
   * @throws IOException if it can't be started, saying what to do
   */
  public BargeLane(Options o, Clock clock) throws IOException {
    node = o.node();
    Deque<Closeable> opened = new ArrayDeque<>();
    try {
      // What can't be shown is refused before anything else begins.
      listener =
          new SecureListener(
              o.listen(), o.home(), clock, HttpApi.IDLE_MS, keys -> leave(o.home(), keys));
      opened.push(listener);
      // One node starts at a time: what it finds of others and of the schema stays so until it is
      // one.
      name = new NodeName(o.databaseUrl(), o.databaseUser(), o.databasePassword(), o.node());
      opened.push(name);
      db =
          new Db(
              o.databaseUrl(),
              o.databaseUser(),
              o.databasePassword(),
              Entities.ALL,
              Entities.migrations());
      opened.push(db);
      name.take();
      time = new DatabaseClock(db, clock);
      opened.push(time);
      events = new Events(db, time, o.databaseUrl(), o.databaseUser(), o.databasePassword());
      opened.push(events);
      rooms = new Rooms(db, events, time, o.home(), o.node(), o.pace(), o.agents(), o.kept());
      opened.push(rooms.listener);
      time.keep(this::apart);
      AfterRestore.settle(db, rooms.runs, rooms.audit, events, time);
      scheduler = schedule(o);
      opened.push(scheduler::stop);
      if (rooms.agents.wanted()) {
        try {
          rooms.listener.open();
        } catch (ProblemException e) {
          // Everything else works; agents keep what they see until they are listened to again.
          log.error("{}; {}", e.getMessage(), e.remedy());
        }
      }
      Endpoints endpoints = new Endpoints();
      rooms.apis.forEach(api -> api.add(endpoints));
      PrometheusMeterRegistry meters = new PrometheusMeterRegistry(PrometheusConfig.DEFAULT);
      new JvmMemoryMetrics().bindTo(meters);
      Gauge.builder("bargelane.certificate.left.seconds", () -> left(time))
          .description("Until the certificate of this node ends")
          .register(meters);
      Gauge.builder("bargelane.clock.apart.seconds", () -> time.apart().toMillis() / 1000.0)
          .description("How far this host's clock is ahead of the database's")
          .register(meters);
      new AuditWatch(db, rooms.audit, events, meters);
      Measures measures = new Measures(db, time, meters);
      http =
          open(
              o.listen(),
              () ->
                  new HttpApi(
                      listener,
                      endpoints,
                      rooms.tokens,
                      new OwnMachines(db),
                      rooms.audit,
                      events,
                      db,
                      time,
                      meters,
                      measures::look));
      opened.push(http);
      FirstStart.account(o.home(), rooms.accounts, rooms.tokens);
      leave(o.home(), listener.keys());
      String address = listener.address();
      FirstStart.write(o.home().resolve("address"), address + "\n");
      name.shows(
          (c, started) ->
              Nodes.show(c, node, Tug.VERSION, host(), listener.address(), time.apart(), started));
      db.run(s -> events.tell(s, "service", "", null, "node " + node + " serves", null));
      tug = o.withTug() ? new Tug(o.node() + "-tug", rooms.desk, 2, 2) : null;
      log.info("Barge Lane serves at {}", address);
    } catch (IOException | RuntimeException e) {
      for (Closeable one : opened) {
        one.close();
      }
      throw e;
    }
  }

  private static String host() {
    try {
      return InetAddress.getLocalHost().getHostName();
    } catch (UnknownHostException e) {
      return "";
    }
  }

  /** Work goes by the database's time; logs and other programs of this host don't. */
  private void apart(Duration by) {
    String told =
        "the clock of the host of "
            + node
            + " is "
            + by.abs().toSeconds()
            + " s "
            + (by.isNegative() ? "behind" : "ahead of")
            + " the database's: have both follow a time server";
    log.warn("{}", told);
    db.run(s -> events.tell(s, "service", "", null, told, null));
  }

  private Scheduler schedule(Options o) {
    // What this node was doing when it was killed is nobody else's: take it up at once.
    db.run(
        s ->
            s.createNativeMutationQuery(
                    "update scheduled_tasks set picked = false, picked_by = null, last_heartbeat = null where picked_by = ?1")
                .setParameter(1, o.node())
                .executeUpdate());
    Scheduler started =
        Scheduler.create(
                db.dataSource(), rooms.runs.task(), rooms.timetable.task(), rooms.schedule.task())
            .startTasks(rooms.recurring)
            .schedulerName(new SchedulerName.Fixed(o.node()))
            .clock(time::instant)
            // As many as sites may hold that are silent all at once, and some for the others.
            .threads(64)
            // What this node wakes it looks for at once; this is for what is put off.
            .pollingInterval(Duration.ofMillis(500))
            .pollUsingLockAndFetch(0.5, 1)
            .heartbeatInterval(o.pace().heartbeat())
            .missedHeartbeatsLimit(4)
            .enableImmediateExecution()
            .shutdownMaxWait(Duration.ofSeconds(5))
            .build();
    started.start();
    rooms.runs.open(started);
    rooms.timetable.open(started);
    rooms.schedule.open(started);
    return started;
  }

  /** The address for whoever is on this machine. */
  public String address() {
    return listener.address();
  }

  /** Opens where it is to listen, or says in words why that can't be. */
  private static HttpApi open(SecureListener.Where where, Supplier<HttpApi> make)
      throws IOException {
    try {
      return make.get();
    } catch (RuntimeException e) {
      for (Throwable t = e; t != null; t = t.getCause()) {
        if (t instanceof SocketException || t instanceof UnresolvedAddressException) {
          throw new IOException(
              "it can't listen at "
                  + where.at().getHostString()
                  + ":"
                  + where.at().getPort()
                  + (t.getMessage() == null ? ": there is no such host" : ": " + t.getMessage())
                  + "; give another with --listen",
              e);
        }
      }
      throw e;
    }
  }

  private double left(Clock clock) {
    return Duration.between(
                clock.instant(), listener.keys().certificate().getNotAfter().toInstant())
            .toMillis()
        / 1000.0;
  }

  private static void leave(Path home, ServerKeys keys) {
    try {
      FirstStart.write(home.resolve("fingerprint"), keys.fingerprint() + "\n");
      FirstStart.write(home.resolve("certificate.pem"), keys.pem());
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  @Override
  public void close() {
    if (tug != null) {
      tug.close();
    }
    http.close();
    rooms.listener.close();
    scheduler.stop();
    events.close();
    time.close();
    name.close();
    db.close();
  }
}
