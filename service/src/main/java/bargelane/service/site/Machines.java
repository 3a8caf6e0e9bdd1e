package bargelane.service.site;

import bargelane.api.DiskView;
import bargelane.api.GuestView;
import bargelane.api.MachineView;
import bargelane.api.NicView;
import bargelane.api.Page;
import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.db.Db;
import bargelane.service.db.Json;
import bargelane.service.http.ProblemException;
import bargelane.service.wave.MemberEntity;
import bargelane.service.wave.TowEntity;
import bargelane.service.wave.WaveEntity;
import java.util.List;
import java.util.Map;
import org.hibernate.Session;

/** The inventory's machines. */
public final class Machines {

  private static final Map<String, String> SORTS =
      Map.of("name", "m.name", "lastSeen", "m.lastSeen", "firstSeen", "m.firstSeen");

  private final Db db;

  public Machines(Db db) {
    this.db = db;
  }

  /** A machine by id, or by a name that only one has. */
  public static MachineEntity find(Session s, String ref) {
    List<MachineEntity> found =
        Db.list(s, MachineEntity.class, "from MachineEntity where id = ?1 or name = ?1", ref);
    if (found.isEmpty()) {
      throw ProblemException.missing("machine", ref);
    }
    if (found.size() > 1) {
      throw ProblemException.conflict(
          "machine-ambiguous",
          found.size() + " machines are named '" + ref + "'",
          "use its id: bargelane machine list");
    }
    return found.get(0);
  }

  /**
   * One page; {@code name} is a part of the name, {@code sort} a field, with a dash before it for
   * descending.
   */
  public Page<MachineView> list(String site, String name, String sort, int page, int size) {
    String field = sort.startsWith("-") ? sort.substring(1) : sort;
    if (!SORTS.containsKey(field)) {
      throw ProblemException.invalid(
          "sort-unknown",
          "machines can't be sorted by '" + field + "'",
          "sort by one of " + SORTS.keySet().stream().sorted().toList());
    }
    if (page < 0 || size < 1 || size > 500) {
      throw ProblemException.invalid(
          "page-malformed",
          "page " + page + " of size " + size,
          "pages begin at 0, sizes go from 1 to 500");
    }
    return db.tx(
        s -> {
          String siteId = site.isEmpty() ? "" : Sites.find(s, site).id;
          String where =
              " from MachineEntity m where (?1 = '' or m.siteId = ?1) and lower(m.name) like ?2";
          String pattern =
              "%" + name.toLowerCase(java.util.Locale.ROOT).replace("%", "").replace("_", "") + "%";
          long total =
              Db.first(s, Long.class, "select count(*)" + where, siteId, pattern).orElse(0L);
          List<MachineEntity> rows =
              Db.query(
                      s,
                      MachineEntity.class,
                      where.strip()
                          + " order by "
                          + SORTS.get(field)
                          + (sort.startsWith("-") ? " desc" : "")
                          + ", m.id",
                      siteId,
                      pattern)
                  .setFirstResult(page * size)
                  .setMaxResults(size)
                  .getResultList();
          return new Page<>(rows.stream().map(m -> view(s, m)).toList(), total, page, size);
        });
  }

  public MachineView view(String ref) {
    return db.tx(s -> view(s, find(s, ref)));
  }

  private static MachineView view(Session s, MachineEntity m) {
    MachineFacts f = Json.read(m.facts, MachineFacts.class);
    String wave =
        Db.first(s, MemberEntity.class, "from MemberEntity where machineId = ?1 and open", m.id)
            .map(x -> s.find(WaveEntity.class, s.find(TowEntity.class, x.towId).waveId).name)
            .orElse("");
    return new MachineView(
        m.id,
        s.find(SiteEntity.class, m.siteId).name,
        m.platformId,
        f.name(),
        f.cpus(),
        f.memoryMib(),
        f.os().isEmpty() ? f.guest().os() : f.os(),
        f.firmware(),
        f.on(),
        f.fenced(),
        f.disks().stream().map(d -> new DiskView(d.volume(), d.bytes(), d.storage())).toList(),
        f.nics().stream().map(n -> new NicView(n.network(), n.address(), n.mac())).toList(),
        guest(f.guest()),
        f.labels(),
        wave,
        m.firstSeen,
        m.lastSeen,
        m.vanishedAt);
  }

  private static GuestView guest(GuestFacts g) {
    return g.readAt() == null
        ? null
        : new GuestView(
            g.hostname(),
            g.os(),
            g.kernel(),
            g.fileSystems().stream()
                .map(x -> new GuestView.MountView(x.mount(), x.type(), x.bytes(), x.used()))
                .toList(),
            g.cards().stream()
                .map(x -> new GuestView.CardView(x.name(), x.mac(), x.addresses()))
                .toList(),
            g.readAt());
  }
}
