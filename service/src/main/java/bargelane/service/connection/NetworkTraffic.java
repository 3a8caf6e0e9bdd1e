package bargelane.service.connection;

import bargelane.core.net.Address;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.hibernate.Session;

/** How much networks were seen to exchange. */
public final class NetworkTraffic {

  private NetworkTraffic() {}

  /**
   * What a group of addresses exchanged with another, or with one of the others.
   *
   * @param among whether the other is a group too
   * @param peers how many addresses of the other were seen
   */
  public record Exchange(String group, String other, boolean among, long peers, long bytes) {}

  /** Addresses, each with the name of what it belongs to. */
  private record Named(List<String> names, List<String> addresses) {
    static Named of(Map<String, List<String>> all) {
      Named named = new Named(new ArrayList<>(), new ArrayList<>());
      all.forEach(
          (name, addresses) ->
              addresses.stream()
                  .filter(Address::valid)
                  .forEach(
                      a -> {
                        named.names.add(name);
                        named.addresses.add(a);
                      }));
      return named;
    }
  }

  /**
   * Sums by group, whoever of two began. An address that is in a group counts as of that group
   * only.
   *
   * <p>Cost: each connection once for each of its ends.
   *
   * @param groups addresses by name
   * @param others addresses by name, of which those that groups talked with are told
   */
  public static List<Exchange> of(
      Session s, Map<String, List<String>> groups, Map<String, List<String>> others) {
    Named own = Named.of(groups);
    return own.addresses.isEmpty()
        ? List.of()
        : s.doReturningWork(c -> of(c, own, Named.of(others)));
  }

  private static List<Exchange> of(Connection db, Named own, Named others) throws SQLException {
    try (PreparedStatement q =
        db.prepareStatement(
            "with own as materialized (select a, min(g) g from"
                + " (select g, cast(a as inet) a from unnest(?::text[], ?::text[]) x(g, a)) y"
                + " group by a),"
                + " away as materialized (select a, min(g) g from"
                + " (select g, cast(a as inet) a from unnest(?::text[], ?::text[]) x(g, a)) y"
                + " where a not in (select a from own) group by a),"
                + " seen as materialized (select g, peer, sum(bytes) bytes from"
                + " (select o.g, c.server peer, c.bytes from connection c"
                + " join own o on o.a = c.client union all"
                + " select o.g, c.client, c.bytes from connection c join own o on o.a = c.server) x"
                + " group by 1, 2)"
                + " select s.g, p.g, true, count(*), sum(s.bytes) from seen s"
                + " join own p on p.a = s.peer group by 1, 2 union all"
                + " select s.g, p.g, false, count(*), sum(s.bytes) from seen s"
                + " join away p on p.a = s.peer group by 1, 2"
                + " order by 1, 3 desc, 2")) {
      q.setArray(1, db.createArrayOf("text", own.names.toArray()));
      q.setArray(2, db.createArrayOf("text", own.addresses.toArray()));
      q.setArray(3, db.createArrayOf("text", others.names.toArray()));
      q.setArray(4, db.createArrayOf("text", others.addresses.toArray()));
      try (ResultSet r = q.executeQuery()) {
        List<Exchange> all = new ArrayList<>();
        while (r.next()) {
          all.add(
              new Exchange(
                  r.getString(1), r.getString(2), r.getBoolean(3), r.getLong(4), r.getLong(5)));
        }
        return all;
      }
    }
  }
}
