package bargelane.service.csv;

import bargelane.api.CsvImport;
import bargelane.api.ImportResult;
import bargelane.core.site.Conversation;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.usage.Metric;
import bargelane.service.connection.Connections;
import bargelane.service.csv.CsvTable.Row;
import bargelane.service.db.Db;
import bargelane.service.event.Events;
import bargelane.service.http.ProblemException;
import bargelane.service.site.ListedMachines;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import bargelane.service.usage.UsageSheet;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import org.hibernate.Session;

/**
 * Lists that people give: of machines, of what machines used, and of who talks to whom. Each is
 * taken over whole, in one transaction, or not at all.
 */
public final class Lists {

  /** A longer one is to be split: it is held in memory while it is read. */
  private static final int LONGEST = 24 << 20;

  private static final List<String> METRICS =
      Arrays.stream(Metric.values()).map(m -> m.name().toLowerCase(Locale.ROOT)).toList();

  private final Db db;
  private final Events events;
  private final Clock clock;

  public Lists(Db db, Events events, Clock clock) {
    this.db = db;
    this.events = events;
    this.clock = clock;
  }

  private static String text(CsvImport asked) {
    if (asked.csv() == null || asked.csv().isBlank()) {
      throw ProblemException.invalid("list-missing", "the list is empty", "give a CSV file");
    }
    if (asked.csv().length() > LONGEST) {
      throw ProblemException.invalid(
          "list-too-long",
          "the list has more than " + (LONGEST >> 20) + " MiB",
          "split it, with the header in each part");
    }
    return asked.csv();
  }

  private static SiteEntity listed(Session s, String site) {
    SiteEntity found = Sites.find(s, site);
    if (!found.kind.equals("csv")) {
      throw ProblemException.conflict(
          "site-is-no-list",
          "site " + found.name + " is of kind " + found.kind + " and no list",
          "bargelane site add NAME --kind csv");
    }
    return found;
  }

  /** Machines of a site. */
  public ImportResult machines(String site, CsvImport asked, String by) {
    MachineList list = MachineList.read(text(asked));
    Map<String, MachineFacts> machines = list.machines();
    boolean store = list.table().sound() && !asked.dryRun();
    return db.tx(
        s -> {
          SiteEntity entity = listed(s, site);
          ListedMachines.Taken taken =
              ListedMachines.take(s, entity, machines, asked.whole(), store, clock.instant());
          if (store && taken.added() + taken.changed() + taken.vanished() > 0) {
            events.tell(
                s,
                "site",
                entity.id,
                null,
                by
                    + " gave a list of "
                    + entity.name
                    + ": "
                    + taken.added()
                    + " machines are new, "
                    + taken.changed()
                    + " changed, "
                    + taken.vanished()
                    + " are gone",
                null);
          }
          return list.table().result(taken.added(), taken.changed(), taken.vanished(), store);
        });
  }

  /** Samples of what machines used. */
  public ImportResult usage(CsvImport asked, String by) {
    return db.tx(
        s -> {
          UsageSheet sheet = new UsageSheet();
          Map<String, Optional<String>> machines = new HashMap<>();
          Instant latest = clock.instant().plus(Duration.ofMinutes(5));
          CsvTable table =
              CsvTable.each(
                  text(asked),
                  List.of("machine", "time"),
                  Stream.concat(Stream.of("seconds"), METRICS.stream()).toList(),
                  (of, row) -> sample(s, sheet, machines, latest, row));
          if (sheet.tooMany()) {
            table.wrong(
                "has more than " + UsageSheet.MOST_DAYS + " days of machines at once: split it");
          }
          boolean store = table.sound() && !asked.dryRun();
          int known = sheet.known(s);
          if (store) {
            sheet.store(s);
            events.tell(
                s,
                "machine",
                "",
                "",
                by + " gave what " + machines.size() + " machines used",
                null);
          }
          return table.result(sheet.days() - known, known, store);
        });
  }

  private static void sample(
      Session s,
      UsageSheet sheet,
      Map<String, Optional<String>> machines,
      Instant latest,
      Row row) {
    String named = row.text("machine");
    Optional<String> machine = machines.computeIfAbsent(named, n -> ListedMachines.named(s, n));
    if (machine.isEmpty()) {
      row.wrong("machine", "'" + named + "' is no machine here, or several are");
    }
    Optional<Instant> time =
        row.maybe(
            "time",
            x -> CsvTable.instant(x).filter(t -> t.isBefore(latest) && t.isAfter(Instant.EPOCH)),
            "is no instant up to now, as 2026-11-01T00:00:00Z");
    if (row.text("time").isEmpty()) {
      row.wrong("time", "is empty");
    }
    int seconds =
        row.maybe(
                "seconds",
                x -> CsvTable.whole(x).filter(n -> n > 0 && n <= 300 && 300 % n == 0),
                "must divide 300: the mean of a longer time hides what happened in it")
            .orElse(300L)
            .intValue();
    float[] values = new float[Metric.values().length];
    boolean any = false;
    for (int i = 0; i < values.length; i++) {
      Optional<Double> value =
          row.maybe(METRICS.get(i), CsvTable::number, "is no number from 0 on");
      values[i] = value.map(Double::floatValue).orElse(Float.NaN);
      any |= value.isPresent();
    }
    if (!any) {
      row.wrong("", "has none of the columns " + String.join(", ", METRICS));
    }
    if (machine.isPresent() && time.isPresent()) {
      sheet.add(machine.get(), time.get(), seconds, values);
    }
  }

  /** Connections, in place of those that the site's last list told. */
  public ImportResult connections(String site, CsvImport asked, String by) {
    Instant now = clock.instant();
    List<Conversation> seen = new ArrayList<>();
    CsvTable table =
        CsvTable.each(
            text(asked),
            List.of("client", "server", "port"),
            List.of("protocol", "process", "count", "bytes", "first_seen", "last_seen"),
            (of, row) -> connection(seen, now, row));
    boolean store = table.sound() && !asked.dryRun();
    return db.tx(
        s -> {
          SiteEntity entity = listed(s, site);
          int former = Connections.told(s, entity.id);
          if (store) {
            Connections.instead(s, entity.id, seen);
            events.tell(
                s,
                "site",
                entity.id,
                null,
                by + " gave a list of the connections of " + entity.name,
                null);
          }
          return table.result(
              Math.max(0, seen.size() - former), Math.min(former, seen.size()), store);
        });
  }

  private static void connection(List<Conversation> seen, Instant now, Row row) {
    String client = row.must("client", Connections::address, "is no address");
    String server = row.must("server", Connections::address, "is no address");
    String told =
        row.must(
            "port",
            x -> CsvTable.whole(x).filter(n -> n > 0 && n <= 65535).isPresent(),
            "is no port");
    String protocol =
        row.maybe(
                "protocol",
                x -> x.matches("tcp|udp") ? Optional.of(x) : Optional.empty(),
                "is neither tcp nor udp")
            .orElse("tcp");
    long count = row.maybe("count", CsvTable::whole, "is no whole number").orElse(1L);
    long bytes = row.maybe("bytes", CsvTable::whole, "is no whole number").orElse(0L);
    Instant last =
        row.maybe("last_seen", CsvTable::instant, "is no instant, as 2026-11-01T00:00:00Z")
            .orElse(now);
    Instant first =
        row.maybe("first_seen", CsvTable::instant, "is no instant, as 2026-11-01T00:00:00Z")
            .orElse(last);
    if (first.isAfter(last)) {
      row.wrong("first_seen", "lies after last_seen");
    }
    if (!client.isEmpty() && !server.isEmpty() && !told.isEmpty()) {
      String process = row.text("process");
      seen.add(
          new Conversation(
              client,
              server,
              protocol,
              Integer.parseInt(told),
              process.substring(0, Math.min(process.length(), 255)),
              count,
              bytes,
              first,
              last));
    }
  }
}
