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
   * What a group of addresses exchanged with another, or with a range.
   *
   * @param range whether the other is a range
   * @param peers how many addresses of the other were seen
   */
  public record Exchange(String group, String other, boolean range, long peers, long bytes) {}

  /**
   * Sums by group, whoever of two began. An address that is in a group counts as of that group
   * only, whatever range it lies in.
   *
   * <p>Cost: each connection once for each of its ends, and each address that is of no group
   * against each range.
   *
   * @param groups addresses by name
   * @param ranges blocks of addresses (RFC 4632, RFC 4291) by name
   */
  public static List<Exchange> of(
      Session s, Map<String, List<String>> groups, Map<String, String> ranges) {
    List<String> names = new ArrayList<>();
    List<String> addresses = new ArrayList<>();
    groups.forEach(
        (name, all) ->
            all.stream()
                .filter(Address::valid)
                .forEach(
                    a -> {
                      names.add(name);
                      addresses.add(a);
                    }));
    return addresses.isEmpty()
        ? List.of()
        : s.doReturningWork(c -> of(c, names, addresses, ranges));
  }

  private static List<Exchange> of(
      Connection db, List<String> names, List<String> addresses, Map<String, String> ranges)
      throws SQLException {
    List<String> blocks = List.copyOf(ranges.keySet());
    try (PreparedStatement q =
        db.prepareStatement(
            "with own as materialized (select a, min(g) g from"
                + " (select g, cast(a as inet) a from unnest(?::text[], ?::text[]) x(g, a)) y"
                + " group by a),"
                + " block as (select g, cast(r as inet) r from unnest(?::text[], ?::text[]) x(g, r)),"
                + " seen as materialized (select g, peer, sum(bytes) bytes from"
                + " (select o.g, c.server peer, c.bytes from connection c"
                + " join own o on o.a = c.client union all"
                + " select o.g, c.client, c.bytes from connection c join own o on o.a = c.server) x"
                + " group by 1, 2),"
                + " whose as materialized (select s.*, p.g other from seen s"
                + " left join own p on p.a = s.peer)"
                + " select g, other, false, count(*), sum(bytes) from whose"
                + " where other is not null group by 1, 2 union all"
                + " select w.g, b.g, true, count(*), sum(w.bytes) from whose w"
                + " join block b on w.peer <<= b.r where w.other is null group by 1, 2"
                + " order by 1, 3, 2")) {
      q.setArray(1, db.createArrayOf("text", names.toArray()));
      q.setArray(2, db.createArrayOf("text", addresses.toArray()));
      q.setArray(3, db.createArrayOf("text", blocks.toArray()));
      q.setArray(4, db.createArrayOf("text", blocks.stream().map(ranges::get).toArray()));
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
