package bargelane.service.connection;

import bargelane.api.AddressClient;
import bargelane.api.Page;
import java.sql.Array;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.UnaryOperator;
import java.util.stream.Stream;
import org.hibernate.Session;

/** Who was seen to connect to some addresses. */
public final class AddressClients {

  private static final String TO =
      " from connection c where c.server in" + " (select cast(a as inet) from unnest(?::text[]) a)";

  private AddressClients() {}

  /** How many different clients were seen at an address, and at which ports, in order. */
  public record Count(long clients, List<Integer> ports) {}

  /**
   * Counts by address; addresses that nobody connects to are left out.
   *
   * @param addresses each a valid one
   */
  public static Map<String, Count> counts(Session s, Collection<String> addresses) {
    return s.doReturningWork(
        c -> {
          try (PreparedStatement q =
              c.prepareStatement(
                  "select host(c.server), count(distinct c.client),"
                      + " array_agg(distinct c.port order by c.port)"
                      + TO
                      + " group by c.server order by c.server")) {
            q.setArray(1, c.createArrayOf("text", addresses.toArray()));
            try (ResultSet r = q.executeQuery()) {
              Map<String, Count> counts = new LinkedHashMap<>();
              while (r.next()) {
                counts.put(r.getString(1), new Count(r.getLong(2), ports(r.getArray(3))));
              }
              return counts;
            }
          }
        });
  }

  /** A client that was seen at an address. */
  public record Client(String address, String protocol, int port, String client, long count) {}

  /**
   * All that were seen at some addresses, each kind of connection once.
   *
   * @param addresses each a valid one
   */
  public static List<Client> all(Session s, Collection<String> addresses) {
    return s.doReturningWork(
        c -> {
          try (PreparedStatement q =
              c.prepareStatement(
                  "select host(c.server), c.protocol, c.port, host(c.client), sum(c.count)"
                      + TO
                      + " group by 1, 2, 3, 4 order by 1, 2, 3, 4")) {
            q.setArray(1, c.createArrayOf("text", addresses.toArray()));
            try (ResultSet r = q.executeQuery()) {
              List<Client> all = new ArrayList<>();
              while (r.next()) {
                all.add(
                    new Client(
                        r.getString(1), r.getString(2), r.getInt(3), r.getString(4), r.getLong(5)));
              }
              return all;
            }
          }
        });
  }

  /** Two addresses that were seen to talk. */
  public record Pair(String client, String server) {}

  /**
   * Whom some addresses were seen to talk with, each pair once, whoever of them began.
   *
   * @param addresses each a valid one
   */
  public static List<Pair> pairs(Session s, Collection<String> addresses) {
    if (addresses.isEmpty()) {
      return List.of();
    }
    return s.doReturningWork(
        c -> {
          try (PreparedStatement q =
              c.prepareStatement(
                  "with own as materialized (select cast(a as inet) a from unnest(?::text[]) a)"
                      + " select host(x.client), host(x.server) from (select client, server"
                      + " from connection where server in (select a from own) union"
                      + " select client, server from connection where client in"
                      + " (select a from own)) x order by 1, 2")) {
            q.setArray(1, c.createArrayOf("text", addresses.toArray()));
            try (ResultSet r = q.executeQuery()) {
              List<Pair> pairs = new ArrayList<>();
              while (r.next()) {
                pairs.add(new Pair(r.getString(1), r.getString(2)));
              }
              return pairs;
            }
          }
        });
  }

  private static List<Integer> ports(Array ports) throws SQLException {
    return Stream.of((Integer[]) ports.getArray()).toList();
  }

  /**
   * One page of those who connect to addresses, most connections first.
   *
   * @param machine whose an address is
   * @param becomes the address that takes its place
   */
  public static Page<AddressClient> page(
      Session s,
      Collection<String> addresses,
      UnaryOperator<String> machine,
      UnaryOperator<String> becomes,
      int page,
      int size) {
    return s.doReturningWork(
        c -> {
          Array of = c.createArrayOf("text", addresses.toArray());
          long total;
          try (PreparedStatement q = c.prepareStatement("select count(*)" + TO)) {
            q.setArray(1, of);
            try (ResultSet r = q.executeQuery()) {
              r.next();
              total = r.getLong(1);
            }
          }
          try (PreparedStatement q =
              c.prepareStatement(
                  "select host(c.server), host(c.client), coalesce(whose.name, ''), c.protocol,"
                      + " c.port, c.process, c.count, c.last_seen from (select c.*"
                      + TO
                      + " order by c.count desc, c.id limit ? offset ?) c"
                      + " left join lateral (select m.name from machine_address a"
                      + " join machine m on m.id = a.machine_id where a.address = c.client"
                      + " order by m.site_id = c.observer desc, m.vanished_at is null desc, m.id"
                      + " limit 1) whose on true order by c.count desc, c.id")) {
            q.setArray(1, of);
            q.setInt(2, size);
            q.setLong(3, (long) page * size);
            try (ResultSet r = q.executeQuery()) {
              List<AddressClient> rows = new ArrayList<>();
              while (r.next()) {
                String address = r.getString(1);
                rows.add(
                    new AddressClient(
                        machine.apply(address),
                        address,
                        becomes.apply(address),
                        r.getString(2),
                        r.getString(3),
                        r.getString(4),
                        r.getInt(5),
                        r.getString(6),
                        r.getLong(7),
                        r.getTimestamp(8).toInstant()));
              }
              return new Page<>(rows, total, page, size);
            }
          }
        });
  }
}
