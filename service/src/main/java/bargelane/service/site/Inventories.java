package bargelane.service.site;

import bargelane.core.finding.Action;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.CarriedVolume;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Network;
import bargelane.core.site.Inventory.Nic;
import bargelane.core.site.Inventory.Offers;
import bargelane.core.site.Inventory.Quota;
import bargelane.core.site.Inventory.Size;
import bargelane.core.site.Inventory.SizeLimits;
import bargelane.core.site.Inventory.Storage;
import bargelane.core.site.Inventory.StorageLimits;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import com.fasterxml.jackson.core.type.TypeReference;
import java.sql.Array;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Supplier;
import org.hibernate.Session;

/**
 * What sites consist of, as of their last scans: networks, storages and sizes are rows, and so are
 * the addresses of the machines there. Machines themselves are the machine room's. One is made for
 * each transaction that reads; a site is read once in it.
 *
 * <p>Cost: as many rows as a site has networks, storages and sizes (some hundreds); of addresses
 * only those on the networks that are asked for.
 */
public final class Inventories {

  private final Session session;
  private final Map<String, Inventory> read = new HashMap<>();
  private final Map<String, Object> asked = new HashMap<>();

  public Inventories(Session session) {
    this.session = session;
  }

  /**
   * What a site offers, without its machines.
   *
   * @throws ProblemException if it was not scanned yet
   */
  public Inventory of(SiteEntity site) {
    return maybe(site)
        .orElseThrow(
            () ->
                ProblemException.conflict(
                    "site-not-scanned",
                    "site " + site.name + " was not scanned yet",
                    Action.SITE_SCAN.of(site.name)));
  }

  /** What a site offers, without its machines; none if it was not scanned yet. */
  public Optional<Inventory> maybe(SiteEntity site) {
    return site.quota == null
        ? Optional.empty()
        : Optional.of(read.computeIfAbsent(site.id, id -> rows(site)));
  }

  private static final String NETWORKS =
      "select id, name, zone, cidr, isolated, reserved from site_network where site_id = ?";
  private static final String STORAGES =
      "select id, name, media, price_gib_month, currency, gib, operations, throughput_mib"
          + " from site_storage where site_id = ?";
  private static final String IN_PLACE = " order by place";
  private static final String NAMED = " and (id = any(?) or name = any(?))";

  /** Networks of a site by id or name, and no others; those that are not known are left out. */
  public List<Network> networks(SiteEntity site, Collection<String> refs) {
    return session.doReturningWork(
        c -> named(c, NETWORKS + NAMED + IN_PLACE, site.id, refs, Inventories::network));
  }

  /** Storages of a site by id or name, and no others; those that are not known are left out. */
  public List<Storage> storages(SiteEntity site, Collection<String> refs) {
    return session.doReturningWork(
        c -> named(c, STORAGES + NAMED + IN_PLACE, site.id, refs, Inventories::storage));
  }

  private static <T> List<T> named(
      Connection c, String sql, String site, Collection<String> refs, Row<T> row)
      throws SQLException {
    try (PreparedStatement s = c.prepareStatement(sql)) {
      s.setString(1, site);
      s.setArray(2, c.createArrayOf("text", refs.toArray()));
      s.setArray(3, c.createArrayOf("text", refs.toArray()));
      try (ResultSet r = s.executeQuery()) {
        List<T> all = new ArrayList<>();
        while (r.next()) {
          all.add(row.of(r));
        }
        return all;
      }
    }
  }

  private static Network network(ResultSet r) throws SQLException {
    return new Network(
        r.getString(1),
        r.getString(2),
        r.getString(3),
        r.getString(4),
        r.getBoolean(5),
        List.of((String[]) r.getArray(6).getArray()));
  }

  private static Storage storage(ResultSet r) throws SQLException {
    return new Storage(
        r.getString(1),
        r.getString(2),
        r.getString(3),
        r.getBigDecimal(4),
        r.getString(5),
        new StorageLimits(r.getLong(6), r.getDouble(7), r.getDouble(8)));
  }

  private Inventory rows(SiteEntity site) {
    return session.doReturningWork(
        c ->
            new Inventory(
                List.of(),
                all(c, NETWORKS + IN_PLACE, site.id, Inventories::network),
                all(c, STORAGES + IN_PLACE, site.id, Inventories::storage),
                all(
                    c,
                    "select id, cpus, memory_mib, price_hour, currency, family, generation, nics, disks,"
                        + " operations, throughput_mib, network_mib, zones from site_size"
                        + " where site_id = ? order by place",
                    site.id,
                    Inventories::size),
                Json.read(site.zones, new TypeReference<List<String>>() {}),
                Json.read(site.quota, Quota.class),
                site.offers == null ? Offers.UNTOLD : Json.read(site.offers, Offers.class),
                site.carried == null
                    ? List.of()
                    : Json.read(site.carried, new TypeReference<List<CarriedVolume>>() {})));
  }

  private static Size size(ResultSet r) throws SQLException {
    return new Size(
        r.getString(1),
        r.getInt(2),
        r.getLong(3),
        r.getBigDecimal(4),
        r.getString(5),
        new SizeLimits(
            r.getString(6),
            r.getString(7),
            r.getInt(8),
            r.getInt(9),
            r.getDouble(10),
            r.getDouble(11),
            r.getDouble(12),
            List.of((String[]) r.getArray(13).getArray())));
  }

  private interface Row<T> {
    T of(ResultSet r) throws SQLException;
  }

  private static <T> List<T> all(Connection c, String sql, String site, Row<T> row)
      throws SQLException {
    try (PreparedStatement s = c.prepareStatement(sql)) {
      s.setString(1, site);
      try (ResultSet r = s.executeQuery()) {
        List<T> all = new ArrayList<>();
        while (r.next()) {
          all.add(row.of(r));
        }
        return all;
      }
    }
  }

  /**
   * What several readers of one transaction ask, read once.
   *
   * @param what names it, and all that it depends on
   */
  @SuppressWarnings("unchecked")
  public <T> T once(String what, Supplier<T> answer) {
    Object known = asked.get(what);
    if (known == null) {
      known = answer.get();
      asked.put(what, known);
    }
    return (T) known;
  }

  /** Addresses that machines of the site's own have on some of its networks. */
  public List<Nic> taken(SiteEntity site, Collection<String> networks) {
    return once("taken " + site.id + " " + networks, () -> readTaken(site, networks));
  }

  private List<Nic> readTaken(SiteEntity site, Collection<String> networks) {
    return session.doReturningWork(
        c -> {
          try (PreparedStatement s =
              c.prepareStatement(
                  "select network, address from site_nic"
                      + " where site_id = ? and network = any(?) and not ours")) {
            s.setString(1, site.id);
            s.setArray(2, c.createArrayOf("text", networks.toArray()));
            try (ResultSet r = s.executeQuery()) {
              List<Nic> all = new ArrayList<>();
              while (r.next()) {
                all.add(new Nic(r.getString(1), r.getString(2), ""));
              }
              return all;
            }
          }
        });
  }

  /** Stores what a scan read; writes nothing of what is as it was. */
  public void store(SiteEntity site, Inventory now) {
    Optional<Inventory> former = maybe(site);
    Inventory offers =
        new Inventory(
            List.of(),
            now.networks(),
            now.storages(),
            now.sizes(),
            now.zones(),
            now.quota(),
            now.offers(),
            now.carried());
    read.put(site.id, offers);
    session.doWork(
        c -> {
          if (former.isEmpty() || !former.get().networks().equals(now.networks())) {
            networks(c, site.id, now.networks());
          }
          if (former.isEmpty() || !former.get().storages().equals(now.storages())) {
            storages(c, site.id, now.storages());
          }
          if (former.isEmpty() || !former.get().sizes().equals(now.sizes())) {
            sizes(c, site.id, now.sizes());
          }
          nics(c, site.id, now.machines());
        });
    String zones = Json.text(now.zones());
    if (former.isEmpty() || !former.get().zones().equals(now.zones())) {
      site.zones = zones;
    }
    if (former.isEmpty() || !former.get().quota().equals(now.quota())) {
      site.quota = Json.text(now.quota());
    }
    if (site.offers == null || !former.get().offers().equals(now.offers())) {
      site.offers = Json.text(now.offers());
    }
    if (!former.map(Inventory::carried).orElse(List.of()).equals(now.carried())) {
      site.carried = now.carried().isEmpty() ? null : Json.text(now.carried());
    }
  }

  private interface Fill<T> {
    void of(PreparedStatement s, T row) throws SQLException;
  }

  /** Puts rows in place of a site's; parameter 1 is the site and 2 the place. */
  private static <T> void instead(
      Connection c, String table, String columns, String site, List<T> rows, Fill<T> fill)
      throws SQLException {
    try (PreparedStatement gone =
        c.prepareStatement("delete from " + table + " where site_id = ?")) {
      gone.setString(1, site);
      gone.executeUpdate();
    }
    String marks = ", ?".repeat((int) columns.chars().filter(x -> x == ',').count() + 1);
    try (PreparedStatement s =
        c.prepareStatement(
            "insert into "
                + table
                + " (site_id, place, "
                + columns
                + ") values (?, ?"
                + marks
                + ")")) {
      for (int i = 0; i < rows.size(); i++) {
        s.setString(1, site);
        s.setInt(2, i);
        fill.of(s, rows.get(i));
        s.addBatch();
      }
      s.executeBatch();
    }
  }

  private static void networks(Connection c, String site, List<Network> all) throws SQLException {
    instead(
        c,
        "site_network",
        "id, name, zone, cidr, isolated, reserved",
        site,
        all,
        (s, n) -> {
          s.setString(3, n.id());
          s.setString(4, n.name());
          s.setString(5, n.zone());
          s.setString(6, n.cidr());
          s.setBoolean(7, n.isolated());
          s.setArray(8, array(c, "text", n.reserved()));
        });
  }

  private static void storages(Connection c, String site, List<Storage> all) throws SQLException {
    instead(
        c,
        "site_storage",
        "id, name, media, price_gib_month, currency, gib, operations, throughput_mib",
        site,
        all,
        (s, x) -> {
          s.setString(3, x.id());
          s.setString(4, x.name());
          s.setString(5, x.media());
          s.setBigDecimal(6, x.pricePerGibMonth());
          s.setString(7, x.currency());
          s.setLong(8, x.limits().gib());
          s.setDouble(9, x.limits().operations());
          s.setDouble(10, x.limits().throughputMib());
        });
  }

  private static void sizes(Connection c, String site, List<Size> all) throws SQLException {
    instead(
        c,
        "site_size",
        "id, cpus, memory_mib, price_hour, currency, family, generation, nics, disks, operations,"
            + " throughput_mib, network_mib, zones",
        site,
        all,
        (s, x) -> {
          SizeLimits limits = x.limits();
          s.setString(3, x.id());
          s.setInt(4, x.cpus());
          s.setLong(5, x.memoryMib());
          s.setBigDecimal(6, x.pricePerHour());
          s.setString(7, x.currency());
          s.setString(8, limits.family());
          s.setString(9, limits.generation());
          s.setInt(10, limits.nics());
          s.setInt(11, limits.disks());
          s.setDouble(12, limits.operations());
          s.setDouble(13, limits.throughputMib());
          s.setDouble(14, limits.networkMib());
          s.setArray(15, c.createArrayOf("text", limits.zones().toArray()));
        });
  }

  /** The cards of all machines, ours among them; in one statement, and only what is different. */
  private static void nics(Connection c, String site, List<MachineFacts> machines)
      throws SQLException {
    List<String> networks = new ArrayList<>();
    List<String> addresses = new ArrayList<>();
    List<Boolean> ours = new ArrayList<>();
    for (MachineFacts m : machines) {
      for (Nic nic : m.nics()) {
        if (!nic.address().isEmpty()) {
          networks.add(nic.network());
          addresses.add(nic.address());
          ours.add(!m.owner().isEmpty());
        }
      }
    }
    try (PreparedStatement s =
        c.prepareStatement(
            "with now as (select network, address, bool_and(ours) ours from"
                + " unnest(?::text[], ?::text[], ?::boolean[]) x(network, address, ours) group by 1, 2),"
                + " gone as (delete from site_nic n where n.site_id = ? and not exists (select 1 from now"
                + " where now.network = n.network and now.address = n.address))"
                + " insert into site_nic (site_id, network, address, ours) select ?, network, address, ours"
                + " from now on conflict (site_id, network, address) do update set ours = excluded.ours"
                + " where site_nic.ours <> excluded.ours")) {
      s.setArray(1, array(c, "text", networks));
      s.setArray(2, array(c, "text", addresses));
      s.setArray(3, array(c, "boolean", ours));
      s.setString(4, site);
      s.setString(5, site);
      s.executeUpdate();
    }
  }

  private static Array array(Connection c, String type, List<?> values) throws SQLException {
    return c.createArrayOf(type, values.toArray());
  }
}
