package bargelane.service.guest;

import bargelane.api.ScanResult;
import bargelane.core.guest.Survey;
import bargelane.core.site.Inventory.Usage;
import bargelane.service.machine.LabelRules;
import bargelane.service.machine.MachineBook;
import bargelane.service.machine.Scans;
import bargelane.service.machine.SightingEntity;
import bargelane.service.machine.Sightings;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.site.SiteEntity;
import bargelane.sites.Surveys;
import bargelane.sites.Surveys.Reading;
import java.time.Clock;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.function.BiConsumer;
import org.hibernate.LockMode;
import org.hibernate.Session;

/**
 * Reads sites whose machines are read from inside, each by itself. What was read is stored at once,
 * machine by machine: a reading that is killed goes on with nothing lost, and one that fails says
 * so at its server and leaves what is known of its machine.
 */
public final class Surveying {

  private final Db db;
  private final GuestSink sink;
  private final Clock clock;

  public Surveying(Db db, GuestSink sink, Clock clock) {
    this.db = db;
    this.sink = sink;
    this.clock = clock;
  }

  /** What a scan of such a site found, and how many could not be read. */
  public record Scanned(ScanResult result, int unread) {}

  public Scanned scan(String siteId, Surveys surveys) {
    List<String> appeared = new ArrayList<>();
    List<String> changed = new ArrayList<>();
    List<String> vanished = new ArrayList<>();
    int[] counts = new int[2];
    surveys.read(
        r -> {
          MachineBook book = store(siteId, r);
          appeared.addAll(book.appeared);
          changed.addAll(book.changed);
          vanished.addAll(book.vanished);
          counts[r.survey().isPresent() ? 0 : 1]++;
        });
    db.run(s -> s.find(SiteEntity.class, siteId).scannedAt = clock.instant());
    return new Scanned(Scans.result(counts[0], appeared, changed, vanished), counts[1]);
  }

  private MachineBook store(String siteId, Reading r) {
    Instant now = clock.instant();
    return db.tx(
        s -> {
          LabelRules.lock(s);
          SiteEntity site = s.find(SiteEntity.class, siteId, LockMode.PESSIMISTIC_WRITE);
          MachineBook book = new MachineBook(s, site, now);
          ServerEntity server = s.find(ServerEntity.class, r.server().id());
          if (server == null) {
            return book;
          }
          note(server, r, now);
          r.survey()
              .ifPresent(
                  survey -> {
                    Sightings.survey(s, book, site, server.id, r.server().address(), survey, now);
                    Links.count(s, sink, site, server.id, survey, now);
                  });
          book.close();
          if (book.anything()) {
            LabelRules.apply(s);
          }
          return book;
        });
  }

  private static void note(ServerEntity server, Reading r, Instant now) {
    String problem = r.trouble().map(Json::text).orElse(null);
    // A document that says the same may be written in another order.
    if (problem == null || server.problem == null
        ? problem != null || server.problem != null
        : !r.trouble()
            .get()
            .equals(Json.read(server.problem, bargelane.core.finding.Finding.class))) {
      server.problem = problem;
    }
    if (r.survey().isPresent()) {
      server.readAt = now;
      if (!Objects.equals(server.credential, r.credential())) {
        server.credential = r.credential();
      }
    }
    if (!r.hostKey().isEmpty() && !server.shownKey.equals(r.hostKey())) {
      server.shownKey = r.hostKey();
    }
  }

  /**
   * Takes over a survey that came by itself, in the caller's transaction.
   *
   * @param key what the site knows the machine by
   * @return whether anything was different
   */
  boolean told(Session s, SiteEntity site, String key, String name, Survey survey, Instant now) {
    LabelRules.lock(s);
    MachineBook book = new MachineBook(s, site, now);
    Sightings.survey(s, book, site, key, name, survey, now);
    Links.count(s, sink, site, key, survey, now);
    book.close();
    site.scannedAt = now;
    if (book.anything()) {
      LabelRules.apply(s);
    }
    return book.anything();
  }

  /** Takes over the connections that are open now, in the caller's transaction. */
  void links(Session s, SiteEntity site, String key, Survey survey, Instant now) {
    SightingEntity sighting = s.find(SightingEntity.class, new SightingEntity.Key(site.id, key));
    if (sighting != null && sameGuest(sighting, survey)) {
      Links.count(s, sink, site, key, survey, now);
    }
  }

  /** A source tells of a machine no more, in the caller's transaction. */
  public static void forget(Session s, SiteEntity site, String key, Instant now) {
    MachineBook book = new MachineBook(s, site, now);
    Sightings.forget(s, book, site, key);
    book.close();
  }

  /**
   * Looks at counters and open connections only.
   *
   * @param each gets a machine's id and its counters, on the service's clock
   */
  public void look(String siteId, Surveys surveys, BiConsumer<String, Usage> each) {
    surveys.look(
        r ->
            r.survey()
                .ifPresent(
                    survey -> {
                      Instant now = clock.instant();
                      String machine = links(siteId, r.server().id(), survey, now);
                      if (!machine.isEmpty()) {
                        each.accept(machine, at(now, survey.counters()));
                      }
                    }));
  }

  private String links(String siteId, String key, Survey survey, Instant now) {
    return db.tx(
        s -> {
          SightingEntity sighting =
              s.find(
                  SightingEntity.class,
                  new SightingEntity.Key(siteId, key),
                  LockMode.PESSIMISTIC_WRITE);
          if (sighting == null || !sameGuest(sighting, survey)) {
            return "";
          }
          Links.count(s, sink, s.find(SiteEntity.class, siteId), key, survey, now);
          return sighting.machineId;
        });
  }

  /** What another guest at the same place uses is not this machine's. */
  private static boolean sameGuest(SightingEntity sighting, Survey survey) {
    return sighting.survey != null
        && Json.read(sighting.survey, Survey.class).guestId().equals(survey.guestId());
  }

  private static Usage at(Instant now, Usage u) {
    return new Usage(
        now,
        u.cpuSeconds(),
        u.memoryBytes(),
        u.readBytes(),
        u.reads(),
        u.writtenBytes(),
        u.writes(),
        u.receivedBytes(),
        u.sentBytes());
  }
}
