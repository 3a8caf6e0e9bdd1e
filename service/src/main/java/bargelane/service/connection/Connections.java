package bargelane.service.connection;

import bargelane.api.ConnectionView;
import bargelane.api.ConnectionView.EndView;
import bargelane.api.Page;
import bargelane.core.net.Address;
import bargelane.core.site.Conversation;
import bargelane.service.machine.Machines;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.service.run.Outcome;
import bargelane.service.run.Step;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.SiteTenant;
import bargelane.service.site.Sites;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.SQLException;
import java.sql.Timestamp;
import java.time.Clock;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;
import org.hibernate.Session;

/**
 * Who talks to whom: counts by client, server, port and process, as told by observers. Addresses
 * are kept as they are; whose they are is told when somebody asks, so that a machine that turns up
 * later is found in what was seen before.
 */
public final class Connections implements SiteTenant {

  /** Deletes those that were not seen again; see {@link bargelane.service.platform.Upkeep}. */
  public static final String PAST = "delete from connection where last_seen < ?1";

  private static final int BLOCK = 5000;
  private static final Map<String, String> SORTS =
      Map.of("bytes", "c.bytes", "count", "c.count", "lastSeen", "c.last_seen", "port", "c.port");

  /** The machine that has an address: one of the observer's site first, then one that is there. */
  private static final String WHOSE =
      " left join lateral (select m.id, m.name from machine_address a join machine m on m.id = a.machine_id"
          + " where a.address = c.%s order by m.site_id = c.observer desc, m.vanished_at is null desc, m.id"
          + " limit 1) %s on true";

  private record Kind(String client, String server, String protocol, int port, String process) {}

  private final Db db;
  private final Sites sites;
  private final Clock clock;

  public Connections(Db db, Sites sites, Clock clock) {
    this.db = db;
    this.sites = sites;
    this.clock = clock;
  }

  /**
   * Takes over what a site saw since it was last read; counts and the instant up to which they were
   * read are stored together, so that nothing counts twice.
   *
   * @return kinds of connections seen; none where the site does not watch
   */
  public Optional<Integer> read(String siteId) {
    Instant from =
        db.tx(
            s ->
                Optional.ofNullable(s.find(SiteEntity.class, siteId).connectionsUntil)
                    .orElse(Instant.EPOCH));
    Instant to = clock.instant();
    return sites
        .driver(siteId)
        .conversations(from, to)
        .map(
            seen -> {
              Map<Kind, Conversation> kinds = gather(seen);
              db.run(
                  s -> {
                    SiteEntity site =
                        s.find(SiteEntity.class, siteId, org.hibernate.LockMode.PESSIMISTIC_WRITE);
                    Instant until =
                        site.connectionsUntil == null ? Instant.EPOCH : site.connectionsUntil;
                    if (until.equals(from)) {
                      s.doWork(c -> add(c, siteId, List.copyOf(kinds.values())));
                      site.connectionsUntil = to;
                    }
                  });
              return kinds.size();
            });
  }

  /** The step of a scan that reads connections. */
  public Step step() {
    return new Step(
        "connections",
        "Read who talks to whom",
        w ->
            Outcome.done(
                read(w.subjectId())
                    .map(n -> String.format(Locale.ROOT, "%,d kinds of connections", n))
                    .orElseGet(
                        () ->
                            switch (sites.kind(w.subjectId())) {
                              case AGENTS -> "agents report them every five minutes";
                              case SERVERS -> "read with each server, and every five minutes";
                              default -> "this kind of site does not watch them";
                            })));
  }

  /** Takes over what an observer saw, in the caller's transaction. */
  public static void seen(Session s, String observer, List<Conversation> seen) {
    s.doWork(c -> add(c, observer, List.copyOf(gather(seen).values())));
  }

  /** What a site observed goes with it. */
  @Override
  public void goes(Session s, SiteEntity site) {
    s.createNativeMutationQuery("delete from connection where observer = :o")
        .setParameter("o", site.id)
        .executeUpdate();
  }

  /** How many kinds of connections an observer told of. */
  public static int told(Session s, String observer) {
    return ((Number)
            s.createNativeQuery("select count(*) from connection where observer = :o", Object.class)
                .setParameter("o", observer)
                .getSingleResult())
        .intValue();
  }

  /** Takes over what an observer tells in place of what it told, in the caller's transaction. */
  public static void instead(Session s, String observer, List<Conversation> all) {
    s.createNativeMutationQuery("delete from connection where observer = :o")
        .setParameter("o", observer)
        .executeUpdate();
    seen(s, observer, all);
  }

  private static Map<Kind, Conversation> gather(List<Conversation> seen) {
    Map<Kind, Conversation> kinds = new LinkedHashMap<>();
    for (Conversation c : seen) {
      if (Address.valid(c.client()) && Address.valid(c.server())) {
        kinds.merge(
            new Kind(c.client(), c.server(), c.protocol(), c.port(), c.process()),
            c,
            (a, b) ->
                new Conversation(
                    a.client(),
                    a.server(),
                    a.protocol(),
                    a.port(),
                    a.process(),
                    a.count() + b.count(),
                    a.bytes() + b.bytes(),
                    a.firstSeen().isBefore(b.firstSeen()) ? a.firstSeen() : b.firstSeen(),
                    a.lastSeen().isAfter(b.lastSeen()) ? a.lastSeen() : b.lastSeen()));
      }
    }
    return kinds;
  }

  private static void add(Connection db, String observer, List<Conversation> seen)
      throws SQLException {
    try (PreparedStatement insert =
        db.prepareStatement(
            "insert into connection"
                + " (observer, client, server, protocol, port, process, count, bytes, first_seen, last_seen)"
                + " select ?, a::inet, b::inet, c, d, e, f, g, h, i from unnest(?::text[], ?::text[], ?::text[],"
                + " ?::int[], ?::text[], ?::bigint[], ?::bigint[], ?::timestamptz[], ?::timestamptz[])"
                + " x(a, b, c, d, e, f, g, h, i)"
                + " on conflict (client, server, protocol, port, process, observer) do update set"
                + " count = connection.count + excluded.count, bytes = connection.bytes + excluded.bytes,"
                + " first_seen = least(connection.first_seen, excluded.first_seen),"
                + " last_seen = greatest(connection.last_seen, excluded.last_seen)")) {
      for (int i = 0; i < seen.size(); i += BLOCK) {
        List<Conversation> block = seen.subList(i, Math.min(seen.size(), i + BLOCK));
        insert.setString(1, observer);
        array(db, insert, 2, "text", block, Conversation::client);
        array(db, insert, 3, "text", block, Conversation::server);
        array(db, insert, 4, "text", block, Conversation::protocol);
        array(db, insert, 5, "int", block, Conversation::port);
        array(db, insert, 6, "text", block, Conversation::process);
        array(db, insert, 7, "bigint", block, Conversation::count);
        array(db, insert, 8, "bigint", block, Conversation::bytes);
        array(db, insert, 9, "timestamptz", block, c -> Timestamp.from(c.firstSeen()));
        array(db, insert, 10, "timestamptz", block, c -> Timestamp.from(c.lastSeen()));
        insert.executeUpdate();
      }
    }
  }

  private static void array(
      Connection db,
      PreparedStatement statement,
      int at,
      String type,
      List<Conversation> block,
      Function<Conversation, Object> value)
      throws SQLException {
    statement.setArray(at, db.createArrayOf(type, block.stream().map(value).toArray()));
  }

  /**
   * One page of connections that begin or end at chosen machines.
   *
   * @param machine a machine by id or name; empty for no such choice
   * @param filter as docs/filters.md describes; empty for no such choice
   * @param sort bytes, count, lastSeen or port, with a dash before it for descending
   */
  public Page<ConnectionView> list(String machine, String filter, String sort, int page, int size) {
    String field = sort.startsWith("-") ? sort.substring(1) : sort;
    if (!SORTS.containsKey(field)) {
      throw ProblemException.invalid(
          "sort-unknown",
          "connections can't be sorted by '" + field + "'",
          "sort by one of " + SORTS.keySet().stream().sorted().toList());
    }
    Machines.checkPage(page, size);
    return db.tx(
        s -> {
          Optional<String[]> chosen = chosen(s, machine, filter);
          String where =
              chosen.isEmpty()
                  ? ""
                  : " where c.id in (select y.id from connection y join machine_address a on a.address = y.client"
                      + " where a.machine_id = any(:chosen) union select y.id from connection y"
                      + " join machine_address a on a.address = y.server where a.machine_id = any(:chosen))";
          var count = s.createNativeQuery("select count(*) from connection c" + where, Long.class);
          var rows =
              s.createNativeQuery(
                  "select host(c.client), k.id, k.name, host(c.server), v.id, v.name, c.protocol, c.port, c.process,"
                      + " c.count, c.bytes, c.first_seen, c.last_seen, coalesce(o.name, '')"
                      + " from (select * from connection c"
                      + where
                      + " order by "
                      + SORTS.get(field)
                      + (sort.startsWith("-") ? " desc, c.id desc" : ", c.id")
                      + " limit :size offset :skip) c"
                      + WHOSE.formatted("client", "k")
                      + WHOSE.formatted("server", "v")
                      + " left join site o on o.id = c.observer order by "
                      + SORTS.get(field)
                      + (sort.startsWith("-") ? " desc, c.id desc" : ", c.id"),
                  Object[].class);
          chosen.ifPresent(
              ids -> {
                count.setParameter("chosen", ids);
                rows.setParameter("chosen", ids);
              });
          rows.setParameter("size", size).setParameter("skip", (long) page * size);
          List<ConnectionView> views = new ArrayList<>();
          for (Object[] r : rows.getResultList()) {
            views.add(
                new ConnectionView(
                    new EndView((String) r[0], (String) r[1], (String) r[2]),
                    new EndView((String) r[3], (String) r[4], (String) r[5]),
                    (String) r[6],
                    ((Number) r[7]).intValue(),
                    (String) r[8],
                    ((Number) r[9]).longValue(),
                    ((Number) r[10]).longValue(),
                    (Instant) r[11],
                    (Instant) r[12],
                    (String) r[13]));
          }
          return new Page<>(views, count.getSingleResult(), page, size);
        });
  }

  private static Optional<String[]> chosen(Session s, String machine, String filter) {
    if (machine.isEmpty() && filter.isBlank()) {
      return Optional.empty();
    }
    List<String> ids =
        machine.isEmpty() ? Machines.ids(s, filter) : List.of(Machines.find(s, machine).id);
    if (!machine.isEmpty() && !filter.isBlank()) {
      throw ProblemException.invalid(
          "choice-malformed",
          "a machine is named and machines are filtered at once",
          "name a machine, or give a filter");
    }
    return Optional.of(ids.toArray(String[]::new));
  }
}
