package bargelane.service.machine;

import bargelane.api.ChangeView;
import bargelane.api.Page;
import bargelane.api.ScanResult;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import bargelane.sites.SiteDriver;
import java.time.Clock;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.hibernate.Session;

/** Reads sites' inventories, and keeps what they found different. */
public final class Scans {

  private static final int NAMED = 200;

  private final Db db;
  private final Sites sites;
  private final Clock clock;

  public Scans(Db db, Sites sites, Clock clock) {
    this.db = db;
    this.sites = sites;
    this.clock = clock;
  }

  /**
   * Reads a site's inventory and stores what changed: of a machine that is as it was, nothing is
   * written. A site that does not answer leaves all as it is.
   */
  public ScanResult scan(String siteId) {
    SiteDriver driver = sites.driver(siteId);
    Capabilities capabilities = driver.capabilities();
    Inventory inventory = driver.inventory();
    Optional<String> settled = driver.settledAddress();
    return db.tx(
        s -> {
          LabelRules.lock(s);
          s.setJdbcBatchSize(100);
          SiteEntity site =
              s.find(SiteEntity.class, siteId, org.hibernate.LockMode.PESSIMISTIC_WRITE);
          Instant now = clock.instant();
          if (site.capabilities == null
              || !Json.read(site.capabilities, Capabilities.class).equals(capabilities)) {
            site.capabilities = Json.text(capabilities);
          }
          settled.ifPresent(site::settle);
          new Inventories(s).store(site, inventory);
          ScanResult result = merge(s, site, inventory, now);
          site.scannedAt = now;
          Sites.answered(site);
          return result;
        });
  }

  private static ScanResult merge(Session s, SiteEntity site, Inventory inventory, Instant now) {
    Instant former = site.scannedAt == null ? now : site.scannedAt;
    MachineBook book = new MachineBook(s, site, now);
    Recognition recognition = new Recognition(s);
    Map<String, MachineEntity> known = new HashMap<>();
    Db.list(s, MachineEntity.class, "from MachineEntity where siteId = ?1", site.id)
        .forEach(m -> known.put(m.platformId, m));
    int seen = 0;
    for (MachineFacts facts : inventory.machines()) {
      MachineEntity machine = known.remove(facts.platformId());
      if (machine != null) {
        seen++;
        book.again(machine, facts);
      } else if (facts.owner().isEmpty()) {
        seen++;
        recognition
            .withoutHome(facts)
            .ifPresentOrElse(m -> book.adopt(m, facts), () -> book.first(facts));
      }
    }
    known.values().forEach(gone -> book.gone(gone, former));
    book.close();
    LabelRules.apply(s);
    return result(seen, book.appeared, book.changed, book.vanished);
  }

  /** What was told of a site since an instant. */
  public ScanResult since(Session s, String siteId, Instant from, int seen) {
    Map<String, List<String>> names = new HashMap<>();
    for (Object[] row :
        Db.list(
            s,
            Object[].class,
            "select distinct m.name, c.kind from ChangeEntity c join MachineEntity m on m.id = c.machineId"
                + " where c.siteId = ?1 and c.at >= ?2 order by m.name",
            siteId,
            from)) {
      String kind = row[1].equals("returned") ? "appeared" : (String) row[1];
      names.computeIfAbsent(kind, k -> new ArrayList<>()).add((String) row[0]);
    }
    return result(
        seen,
        names.getOrDefault("appeared", List.of()),
        names.getOrDefault("changed", List.of()),
        names.getOrDefault("vanished", List.of()));
  }

  public static ScanResult result(
      int seen, List<String> appeared, List<String> changed, List<String> vanished) {
    return new ScanResult(
        seen,
        named(appeared),
        named(changed),
        named(vanished),
        appeared.size(),
        changed.size(),
        vanished.size(),
        appeared.isEmpty() && changed.isEmpty() && vanished.isEmpty());
  }

  private static List<String> named(List<String> all) {
    return List.copyOf(all.subList(0, Math.min(all.size(), NAMED)));
  }

  /**
   * One page of what scans found different, newest first.
   *
   * @param site by id or name; empty for all
   * @param machine by id or name; empty for all
   */
  public Page<ChangeView> changes(String site, String machine, int page, int size) {
    Machines.checkPage(page, size);
    return db.tx(
        s -> {
          String siteId = site.isEmpty() ? "" : Sites.find(s, site).id;
          String machineId = machine.isEmpty() ? "" : Machines.find(s, machine).id;
          String from =
              " from ChangeEntity c join MachineEntity m on m.id = c.machineId"
                  + " join SiteEntity t on t.id = c.siteId"
                  + " where (?1 = '' or c.siteId = ?1) and (?2 = '' or c.machineId = ?2)";
          long total =
              Db.first(s, Long.class, "select count(*)" + from, siteId, machineId).orElse(0L);
          List<ChangeView> views =
              Db.query(
                      s,
                      Object[].class,
                      "select c, m.name, t.name" + from + " order by c.id desc",
                      siteId,
                      machineId)
                  .setFirstResult(page * size)
                  .setMaxResults(size)
                  .getResultList()
                  .stream()
                  .map(Scans::view)
                  .toList();
          return new Page<>(views, total, page, size);
        });
  }

  private static ChangeView view(Object[] row) {
    ChangeEntity c = (ChangeEntity) row[0];
    return new ChangeView(
        c.at, (String) row[2], c.machineId, (String) row[1], c.kind, c.fact, c.former, c.present);
  }
}
