package bargelane.service.site;

import bargelane.api.ChangeView;
import bargelane.api.Page;
import bargelane.api.ScanResult;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.MachineDiff;
import bargelane.service.db.Db;
import bargelane.service.db.Ids;
import bargelane.service.db.Json;
import bargelane.sites.SiteDriver;
import java.time.Clock;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
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
    return db.tx(
        s -> {
          s.setJdbcBatchSize(100);
          SiteEntity site =
              s.find(SiteEntity.class, siteId, org.hibernate.LockMode.PESSIMISTIC_WRITE);
          Instant now = clock.instant();
          Instant former = site.scannedAt == null ? now : site.scannedAt;
          site.scannedAt = now;
          if (site.capabilities == null
              || !Json.read(site.capabilities, Capabilities.class).equals(capabilities)) {
            site.capabilities = Json.text(capabilities);
          }
          if (site.inventory == null
              || !Json.read(site.inventory, Inventory.class).equals(inventory)) {
            site.inventory = Json.text(inventory);
          }
          return new Merge(s, site, former, now).all(inventory);
        });
  }

  /** One scan's machines against those that are known. */
  private static final class Merge {
    private final Session s;
    private final SiteEntity site;
    private final Instant former;
    private final Instant now;
    private final List<String> appeared = new ArrayList<>();
    private final List<String> changed = new ArrayList<>();
    private final List<String> vanished = new ArrayList<>();
    private final List<ChangeEntity> changes = new ArrayList<>();

    Merge(Session s, SiteEntity site, Instant former, Instant now) {
      this.s = s;
      this.site = site;
      this.former = former;
      this.now = now;
    }

    ScanResult all(Inventory inventory) {
      Map<String, MachineEntity> known = new HashMap<>();
      Db.list(s, MachineEntity.class, "from MachineEntity where siteId = ?1", site.id)
          .forEach(m -> known.put(m.platformId, m));
      int seen = 0;
      for (MachineFacts facts : inventory.machines()) {
        MachineEntity machine = known.remove(facts.platformId());
        if (machine != null) {
          seen++;
          again(machine, facts);
        } else if (facts.owner().isEmpty()) {
          seen++;
          first(facts);
        }
      }
      for (MachineEntity gone : known.values()) {
        if (gone.vanishedAt == null) {
          gone.vanishedAt = now;
          gone.lastSeen = former;
          vanished.add(gone.name);
          tell(gone, "vanished");
        }
      }
      // The machines first, in one go, and then what is told of them.
      s.flush();
      changes.forEach(s::persist);
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

    private void first(MachineFacts facts) {
      MachineEntity machine = new MachineEntity();
      machine.id = Ids.next("m");
      machine.siteId = site.id;
      machine.platformId = facts.platformId();
      machine.firstSeen = now;
      machine.lastSeen = now;
      machine.name = facts.name();
      machine.facts = Json.text(facts);
      s.persist(machine);
      appeared.add(facts.name());
      tell(machine, "appeared");
    }

    private void again(MachineEntity machine, MachineFacts told) {
      MachineFacts former = Json.read(machine.facts, MachineFacts.class);
      // What the guest told once stays known while it is off or its agent away.
      MachineFacts facts = told.guest().readAt() == null ? told.telling(former.guest()) : told;
      if (machine.vanishedAt != null) {
        machine.vanishedAt = null;
        appeared.add(facts.name());
        tell(machine, "returned");
      }
      if (!former.equals(facts)) {
        machine.name = facts.name();
        machine.facts = Json.text(facts);
        List<MachineDiff.Change> differences = MachineDiff.of(former, facts);
        if (!differences.isEmpty()) {
          changed.add(facts.name());
        }
        for (MachineDiff.Change d : differences) {
          ChangeEntity change = tell(machine, "changed");
          change.fact = d.fact();
          change.former = d.former();
          change.present = d.present();
        }
      }
    }

    private ChangeEntity tell(MachineEntity machine, String kind) {
      ChangeEntity change = new ChangeEntity();
      change.siteId = site.id;
      change.machineId = machine.id;
      change.at = now;
      change.kind = kind;
      changes.add(change);
      return change;
    }

    private static List<String> named(List<String> all) {
      return List.copyOf(all.subList(0, Math.min(all.size(), NAMED)));
    }
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
