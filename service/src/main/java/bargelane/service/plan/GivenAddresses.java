package bargelane.service.plan;

import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.lane.Shores.Held;
import bargelane.core.net.Address;
import bargelane.service.platform.Db;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Optional;
import org.hibernate.Session;

/**
 * Addresses that machines of waves have been given at the sites they go to. They stay theirs until
 * the wave is removed or, once it is settled, until the site is scanned and tells of them itself.
 */
final class GivenAddresses {

  private GivenAddresses() {}

  /** Lets one transaction at a time give addresses of a site. */
  static void lock(Session s, String site) {
    Db.lock(s, "addresses of " + site);
  }

  /** Those on some networks of a site, with the ids of the machines that have them. */
  static List<Held> of(Session s, String site, Collection<String> networks) {
    return s.doReturningWork(
        c -> {
          try (PreparedStatement q =
              c.prepareStatement(
                  "select g.network, g.address, m.machine_id, g.card from given_address g"
                      + " join member m on m.id = g.member_id join tow t on t.id = m.tow_id"
                      + " join site x on x.id = g.site_id where g.site_id = ? and g.network = any(?)"
                      + " and (t.settled_at is null or x.scanned_at is null"
                      + " or x.scanned_at < t.settled_at)")) {
            q.setString(1, site);
            q.setArray(2, c.createArrayOf("text", networks.toArray()));
            try (ResultSet r = q.executeQuery()) {
              List<Held> all = new ArrayList<>();
              while (r.next()) {
                all.add(new Held(r.getString(1), r.getString(2), r.getString(3), r.getInt(4)));
              }
              return all;
            }
          }
        });
  }

  /** Stores what a member's cards are given, in place of what they were given before. */
  static void put(Session s, String site, String member, List<PlacedNic> nics) {
    s.doWork(
        c -> {
          try (PreparedStatement gone =
                  c.prepareStatement("delete from given_address where member_id = ?");
              PreparedStatement given =
                  c.prepareStatement(
                      "insert into given_address (site_id, network, address, member_id, card)"
                          + " values (?, ?, ?, ?, ?) on conflict do nothing")) {
            gone.setString(1, member);
            gone.executeUpdate();
            for (int i = 0; i < nics.size(); i++) {
              Optional<String> address = Address.canonical(nics.get(i).address());
              if (address.isPresent()) {
                given.setString(1, site);
                given.setString(2, nics.get(i).network());
                given.setString(3, address.get());
                given.setString(4, member);
                given.setInt(5, i);
                given.addBatch();
              }
            }
            given.executeBatch();
          }
        });
  }
}
