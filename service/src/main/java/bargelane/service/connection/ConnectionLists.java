package bargelane.service.connection;

import bargelane.api.CsvImport;
import bargelane.api.ImportResult;
import bargelane.core.net.Address;
import bargelane.core.site.Conversation;
import bargelane.service.event.Events;
import bargelane.service.machine.ListedMachines;
import bargelane.service.platform.CsvTable;
import bargelane.service.platform.CsvTable.Row;
import bargelane.service.platform.Db;
import bargelane.service.site.SiteEntity;
import java.time.Clock;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/** Lists of who talks to whom: each is imported whole, in one transaction, or not at all. */
public final class ConnectionLists {

  private final Db db;
  private final Events events;
  private final Clock clock;

  public ConnectionLists(Db db, Events events, Clock clock) {
    this.db = db;
    this.events = events;
    this.clock = clock;
  }

  /** Connections, in place of those that the site's last list told. */
  public ImportResult connections(String site, CsvImport asked, String by) {
    Instant now = clock.instant();
    List<Conversation> seen = new ArrayList<>();
    CsvTable table =
        CsvTable.each(
            CsvTable.text(asked),
            List.of("client", "server", "port"),
            List.of("protocol", "process", "count", "bytes", "first_seen", "last_seen"),
            (of, row) -> connection(seen, now, row));
    boolean store = table.sound() && !asked.dryRun();
    return db.tx(
        s -> {
          SiteEntity entity = ListedMachines.site(s, site);
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
    String client = row.must("client", Address::valid, "is not an address");
    String server = row.must("server", Address::valid, "is not an address");
    String told =
        row.must(
            "port",
            x -> CsvTable.whole(x).filter(n -> n > 0 && n <= 65535).isPresent(),
            "is not a port");
    String protocol =
        row.maybe(
                "protocol",
                x -> x.matches("tcp|udp") ? Optional.of(x) : Optional.empty(),
                "is neither tcp nor udp")
            .orElse("tcp");
    long count = row.maybe("count", CsvTable::whole, "is not a whole number").orElse(1L);
    long bytes = row.maybe("bytes", CsvTable::whole, "is not a whole number").orElse(0L);
    Instant last =
        row.maybe("last_seen", CsvTable::instant, "is not an instant, as 2026-11-01T00:00:00Z")
            .orElse(now);
    Instant first =
        row.maybe("first_seen", CsvTable::instant, "is not an instant, as 2026-11-01T00:00:00Z")
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
