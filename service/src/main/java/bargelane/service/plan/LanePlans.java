package bargelane.service.plan;

import bargelane.api.AddressClient;
import bargelane.api.IngressView;
import bargelane.api.Page;
import bargelane.api.PlacedView;
import bargelane.api.PlacedView.DecidedView;
import bargelane.api.PlacedView.PlacedCardView;
import bargelane.api.PlacedView.PlacedDiskView;
import bargelane.api.SpanView;
import bargelane.api.ZoneFileView;
import bargelane.core.finding.Finding;
import bargelane.core.lane.CarriedDisk;
import bargelane.core.lane.LaneMachine;
import bargelane.core.lane.LanePlan;
import bargelane.core.lane.Placement;
import bargelane.core.lane.Preflight;
import bargelane.core.lane.Preflight.Decided;
import bargelane.core.lane.Rule;
import bargelane.core.lane.Rules;
import bargelane.core.lane.Setting;
import bargelane.core.lane.Shores;
import bargelane.core.lane.ZoneFile;
import bargelane.core.net.Address;
import bargelane.core.net.Subnet;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Nic;
import bargelane.service.connection.AddressClients;
import bargelane.service.lane.LaneEntity;
import bargelane.service.lane.LaneRuleStore;
import bargelane.service.lane.Lanes;
import bargelane.service.machine.MachineFilter;
import bargelane.service.machine.Machines;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Stream;
import org.hibernate.Session;

/**
 * Where all machines of a lane's source go, those in its waves and those in none: the address plan,
 * and what is in the way long before an evening. Machines that other lanes' waves take are left
 * out.
 *
 * <p>Cost: each machine's facts are read and each is placed once, some tens of microseconds a
 * machine.
 */
public final class LanePlans {

  private final Db db;
  private final SiteMachines known = new SiteMachines();

  public LanePlans(Db db) {
    this.db = db;
  }

  /** A machine's place, with the wave that it is in. */
  record Placed(String wave, Preflight.Result result) {}

  /**
   * A lane with everything placed on it.
   *
   * @param shores both ends
   */
  record Plan(LaneEntity lane, Rules rules, List<Placed> machines, Shores shores) {

    /** Whether the target lets in by rules. */
    boolean filters() {
      return shores.target().offers().filters();
    }

    /** Ranges of both ends. */
    List<Subnet> networks() {
      return LaneIngress.ranges(shores.source().networks(), shores.target().networks());
    }
  }

  Plan of(Session s, String ref) {
    LaneEntity lane = Lanes.find(s, ref);
    SiteEntity home = s.find(SiteEntity.class, lane.fromSiteId);
    SiteEntity away = s.find(SiteEntity.class, lane.toSiteId);
    Map<String, String[]> members = members(s, home.id);
    Map<String, String> sizes = sizes(s, away.id);
    List<LaneMachine> machines = new ArrayList<>();
    List<String> waves = new ArrayList<>();
    Set<String> landed = new HashSet<>();
    for (SiteMachines.Row r : known.of(s, home.id)) {
      String id = r.id();
      String[] member = members.get(id);
      if (member != null && !member[0].equals(lane.id)) {
        continue;
      }
      String size = member == null ? sizes.getOrDefault(id, "") : member[3];
      machines.add(
          new LaneMachine(
              id,
              member == null ? "" : member[1],
              r.labels(),
              r.facts(),
              Optional.of(size).filter(x -> !x.isEmpty())));
      waves.add(member == null ? "" : member[2]);
      if (member != null && !member[4].isEmpty()) {
        landed.add(id);
      }
    }
    Rules rules = new Rules(Json.read(lane.plan, LanePlan.class), LaneRuleStore.all(s, lane.id));
    Shores shores = new Ends(s, new Inventories(s), lane, home, away).shores(rules, machines);
    List<Preflight.Result> results = new Preflight("", rules, shores).place(machines);
    List<Placed> placed = new ArrayList<>();
    for (int i = 0; i < results.size(); i++) {
      Preflight.Result r = results.get(i);
      placed.add(new Placed(waves.get(i), landed.contains(r.of().id()) ? r.landed() : r));
    }
    return new Plan(lane, rules, placed, shores);
  }

  /**
   * Of machines in open waves: the lane, the wave's id and name, the size, and a word where it has
   * landed.
   */
  private static Map<String, String[]> members(Session s, String home) {
    Map<String, String[]> members = new HashMap<>();
    s.createNativeQuery(
            "select m.machine_id, t.lane_id, w.id, w.name, m.size,"
                + " case when t.landed then 'landed' else '' end from member m"
                + " join tow t on t.id = m.tow_id join wave w on w.id = t.wave_id"
                + " join machine x on x.id = m.machine_id where m.open and x.site_id = :site",
            Object[].class)
        .setParameter("site", home)
        .getResultList()
        .forEach(
            r ->
                members.put(
                    (String) r[0],
                    new String[] {
                      (String) r[1], (String) r[2], (String) r[3], (String) r[4], (String) r[5]
                    }));
    return members;
  }

  /** Sizes that were accepted for machines at a target. */
  private static Map<String, String> sizes(Session s, String away) {
    Map<String, String> sizes = new HashMap<>();
    s.createQuery(
            "select c.machineId, c.size from SizeChoiceEntity c where c.targetSiteId = ?1",
            Object[].class)
        .setParameter(1, away)
        .getResultList()
        .forEach(r -> sizes.put((String) r[0], (String) r[1]));
    return sizes;
  }

  /**
   * One page of the machines of a lane, by name.
   *
   * @param filter as docs/filters.md describes; empty for all
   * @param found only those with findings
   */
  public Page<PlacedView> page(String ref, String filter, boolean found, int page, int size) {
    Machines.checkPage(page, size);
    return db.tx(
        s -> {
          Plan plan = of(s, ref);
          Map<String, List<Finding>> more = new HashMap<>();
          List<Placed> among = among(s, plan, filter);
          if (found) {
            // Whether somebody has a finding is known when all of them were looked at.
            seen(s, plan, among, more);
          }
          List<Placed> all =
              among.stream()
                  .filter(
                      p ->
                          !found
                              || !p.result().findings().isEmpty()
                              || more.containsKey(p.result().of().id()))
                  .toList();
          List<Placed> shown = all.stream().skip((long) page * size).limit(size).toList();
          if (!found) {
            seen(s, plan, shown, more);
          }
          return new Page<>(
              shown.stream()
                  .map(
                      p ->
                          view(plan.rules(), p, more.getOrDefault(p.result().of().id(), List.of())))
                  .toList(),
              all.size(),
              page,
              size);
        });
  }

  /** Adds what is found of who was seen to connect: to addresses that change, and not let in. */
  private static void seen(
      Session s, Plan plan, List<Placed> machines, Map<String, List<Finding>> more) {
    Map<String, Placed> changing = changing(machines);
    AddressClients.counts(s, changing.keySet())
        .forEach(
            (address, of) -> {
              Placed p = changing.get(address);
              more.computeIfAbsent(p.result().of().id(), id -> new ArrayList<>())
                  .add(
                      InUse.finding(
                          p.result().machine().name(),
                          plan.lane().name,
                          address,
                          becomes(p, address),
                          of));
            });
    new Spans(plan)
        .findings(s, machines)
        .forEach((id, f) -> more.computeIfAbsent(id, x -> new ArrayList<>()).addAll(f));
    if (plan.filters()) {
      LaneIngress ingress = new LaneIngress(s, plan, machines);
      for (Placed p : machines) {
        ingress
            .finding(p)
            .ifPresent(
                f -> more.computeIfAbsent(p.result().of().id(), id -> new ArrayList<>()).add(f));
      }
    }
  }

  /**
   * What is let in to machines of a lane at its target, and what is proposed by what was seen.
   *
   * @param filter as docs/filters.md describes; empty for all
   */
  public Page<IngressView> ingress(String ref, String filter, int page, int size) {
    Machines.checkPage(page, size);
    return db.tx(
        s -> {
          Plan plan = of(s, ref);
          if (!plan.filters()) {
            throw ProblemException.conflict(
                "target-does-not-filter",
                "the target of lane " + plan.lane().name + " does not filter what comes in",
                "nothing is to be decided");
          }
          List<Placed> all = among(s, plan, filter);
          List<Placed> shown = all.stream().skip((long) page * size).limit(size).toList();
          LaneIngress ingress = new LaneIngress(s, plan, shown);
          return new Page<>(
              shown.stream().flatMap(p -> ingress.view(p).stream()).toList(),
              all.size(),
              page,
              size);
        });
  }

  private static List<Placed> among(Session s, Plan plan, String filter) {
    if (filter.isBlank()) {
      return plan.machines();
    }
    Set<String> chosen = chosen(s, plan.lane(), filter);
    return plan.machines().stream().filter(p -> chosen.contains(p.result().of().id())).toList();
  }

  private static Set<String> chosen(Session s, LaneEntity lane, String filter) {
    MachineFilter machines = MachineFilter.of(filter);
    List<Object> parameters = new ArrayList<>(List.of(machines.parameters()));
    parameters.add(lane.fromSiteId);
    return new HashSet<>(
        Db.list(
            s,
            String.class,
            "select m.id from MachineEntity m where ("
                + machines.condition()
                + ") and m.siteId = ?"
                + parameters.size(),
            parameters.toArray()));
  }

  /** Addresses that change, by the one that a machine has, with the card's place. */
  private static Map<String, Placed> changing(List<Placed> machines) {
    Map<String, Placed> changing = new LinkedHashMap<>();
    for (Placed p : machines) {
      List<Nic> nics = p.result().machine().nics();
      for (int i = 0; i < nics.size(); i++) {
        Placement.PlacedNic to = p.result().placement().nics().get(i);
        if (!to.kept()) {
          Address.canonical(nics.get(i).address()).ifPresent(a -> changing.putIfAbsent(a, p));
        }
      }
    }
    return changing;
  }

  private static String becomes(Placed p, String former) {
    List<Nic> nics = p.result().machine().nics();
    for (int i = 0; i < nics.size(); i++) {
      if (Address.canonical(nics.get(i).address()).equals(Optional.of(former))) {
        return p.result().placement().nics().get(i).address();
      }
    }
    return "";
  }

  /**
   * Who connects to addresses that change, most connections first: what has to be changed where.
   */
  public Page<AddressClient> clients(String ref, int page, int size) {
    Machines.checkPage(page, size);
    return db.tx(
        s -> {
          Map<String, Placed> changing = changing(of(s, ref).machines());
          return AddressClients.page(
              s,
              changing.keySet(),
              address -> changing.get(address).result().machine().name(),
              address -> becomes(changing.get(address), address),
              page,
              size);
        });
  }

  /** Networks whose range is at both ends, and what still hangs on each. */
  public List<SpanView> spans(String ref) {
    return db.tx(s -> new Spans(of(s, ref)).views(s));
  }

  /**
   * The changes of names' records, as a zone file.
   *
   * @param origin the domain that the machines' names are in
   */
  public ZoneFileView zone(String ref, String origin) {
    if (!ZoneFile.origin(origin)) {
      throw ProblemException.invalid(
          "origin-malformed",
          "'" + origin + "' is not a domain",
          "give the domain that the machines' names are in, such as library.example");
    }
    return db.tx(
        s -> {
          Plan plan = of(s, ref);
          List<ZoneFile.Change> changes = new ArrayList<>();
          for (Placed p : plan.machines()) {
            MachineFacts facts = p.result().machine();
            String host = facts.guest().hostname();
            for (int i = 0; i < facts.nics().size(); i++) {
              Placement.PlacedNic to = p.result().placement().nics().get(i);
              if (!to.kept()) {
                changes.add(
                    new ZoneFile.Change(
                        host.isEmpty() ? facts.name() : host,
                        facts.nics().get(i).address(),
                        to.address()));
              }
            }
          }
          return new ZoneFileView(ZoneFile.of(origin, changes));
        });
  }

  private static PlacedView view(Rules rules, Placed p, List<Finding> more) {
    Preflight.Result r = p.result();
    MachineFacts facts = r.machine();
    List<PlacedCardView> cards = new ArrayList<>();
    for (int i = 0; i < facts.nics().size(); i++) {
      Nic nic = facts.nics().get(i);
      Placement.PlacedNic to = r.placement().nics().get(i);
      Decided address = decided(r, Setting.ADDRESS, i);
      cards.add(
          new PlacedCardView(
              i,
              nic.network(),
              nic.address(),
              to.network(),
              decided(r, Setting.SUBNET, i).origin(),
              to.address(),
              to.kept(),
              address.value(),
              address.origin()));
    }
    List<PlacedDiskView> disks = new ArrayList<>();
    for (int i = 0; i < facts.disks().size(); i++) {
      Inventory.Disk disk = facts.disks().get(i);
      disks.add(
          new PlacedDiskView(
              i,
              disk.volume(),
              disk.bytes(),
              rules.role(r.of(), i),
              disk.storage(),
              r.placement().storages().get(i),
              r.placement().key(i),
              !r.leftOut(i),
              r.carried().stream()
                  .filter(c -> c.disk().volume().equals(disk.volume()))
                  .map(CarriedDisk::volume)
                  .findFirst()
                  .orElse(""),
              decided(r, r.leftOut(i) ? Setting.COPY : Setting.CLASS, i).origin()));
    }
    return new PlacedView(
        r.of().id(),
        facts.name(),
        p.wave(),
        r.placement().nameOf(facts.name()),
        r.placement().size(),
        r.placement().zone(),
        cards,
        disks,
        r.decided().stream()
            .filter(d -> d.part() == Rule.WHOLE)
            .map(d -> new DecidedView(d.setting().word(), d.value(), d.origin()))
            .toList(),
        Sites.views(Stream.concat(r.findings().stream(), more.stream()).toList()));
  }

  private static Decided decided(Preflight.Result r, Setting setting, int part) {
    return r.decided().stream()
        .filter(d -> d.setting() == setting && d.part() == part)
        .findFirst()
        .orElse(new Decided(setting, part, "", ""));
  }
}
