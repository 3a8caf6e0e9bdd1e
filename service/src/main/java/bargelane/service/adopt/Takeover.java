package bargelane.service.adopt;

import bargelane.core.lane.Rule;
import bargelane.core.lane.RuleScope;
import bargelane.core.lane.Rules;
import bargelane.core.lane.Setting;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.lane.Lanes;
import bargelane.service.machine.Machines;
import bargelane.service.move.Parting;
import bargelane.service.plan.Waves;
import bargelane.service.platform.Json;
import bargelane.service.replication.Berth;
import bargelane.service.replication.FromManifests;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.Manifest;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.Timetables;
import bargelane.service.replication.TowEntity;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import bargelane.sites.Acting;
import bargelane.sites.Target;
import bargelane.sites.Target.Owned;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import org.hibernate.Session;

/** Makes records of a tow that was found, as this service would have made them itself. */
final class Takeover {

  private final Services services;

  Takeover(Services services) {
    this.services = services;
  }

  /**
   * Records a tow, in the caller's transaction.
   *
   * @param here the site where its points are
   * @param removeMachines has machines that stand there switched off be removed
   */
  void take(Session s, SiteEntity here, Found f, boolean removeMachines, String by) {
    Manifest m = f.newest();
    Instant now = services.clock().instant();
    SiteEntity home = f.side() == Side.HOME ? here : shore(s, m.home(), m, now);
    SiteEntity away = f.side() == Side.AWAY ? here : shore(s, m.away(), m, now);
    boolean runsHere = f.runsHere();
    Side standing = runsHere ? f.side() : f.side().other();
    String lane = Lanes.known(s, m.lane().name(), home, away, m.lane().plan()).id;
    FromManifests records =
        new FromManifests(
            s,
            f.points().stream()
                .map(p -> new FromManifests.Point(p.ref().name(), p.manifest()))
                .toList(),
            new FromManifests.Into(
                Waves.add(s, m.wave(), now).id,
                lane,
                Timetables.known(s, m.timetable()).id,
                here.id,
                standing,
                by,
                now));
    TowEntity tow = records.tow();
    for (Manifest.Machine x : m.machines()) {
      String machine = Machines.known(s, home, whole(x), x.labels(), now).id;
      Lanes.decided(s, lane, rules(x, machine));
      records.member(
          x,
          machine,
          runsHere
              ? Optional.of(
                  berth(f.standing().get(x.id()), f.side() == Side.HOME ? x.home() : x.away()))
              : Optional.empty());
    }
    List<LegEntity> legs = records.legs(runsHere);
    LegEntity last = legs.get(legs.size() - 1);
    if (runsHere) {
      // Whatever the other side wrote last, and whether it runs, is not known.
      tow.diverged = true;
      tow.divergence = Json.text(new Parting(standing.name(), "", last.pointId, "", null));
    } else {
      records.replicas(last, names(f.things(), "volume"));
    }
    record(s, here, f, removeMachines);
    services
        .events()
        .tell(
            s,
            "wave",
            tow.id,
            null,
            by
                + " took wave "
                + m.wave()
                + " over from the service "
                + f.service()
                + ", with its points at "
                + here.name,
            Map.of("points", f.points().size(), "asOf", m.asOf().toString()));
  }

  /** Volumes of a machine at its source in their order; empty where none is left out. */
  private static List<String> order(Manifest.Machine x) {
    List<String> all = x.home() == null ? List.of() : x.home().attached();
    return all.containsAll(x.facts().disks().stream().map(Inventory.Disk::volume).toList())
        ? all
        : List.of();
  }

  /** What is known of a machine, with disks that are left out, whose sizes the next scan tells. */
  private static MachineFacts whole(Manifest.Machine x) {
    List<String> order = order(x);
    if (order.isEmpty()) {
      return x.facts();
    }
    Map<String, Inventory.Disk> known = new HashMap<>();
    x.facts().disks().forEach(d -> known.put(d.volume(), d));
    return x.facts()
        .with(
            order.stream().map(v -> known.getOrDefault(v, new Inventory.Disk(v, 0, ""))).toList());
  }

  /** What was decided of a machine, and that what was left out stays so. */
  private static List<Rule> rules(Manifest.Machine x, String machine) {
    List<String> order = order(x);
    if (order.isEmpty()) {
      return x.rules(machine);
    }
    List<String> copied = x.facts().disks().stream().map(Inventory.Disk::volume).toList();
    List<Rule> all = new ArrayList<>();
    for (Rule r : x.rules(machine)) {
      all.add(
          r.scope() == RuleScope.DISK
              ? new Rule(
                  r.scope(), r.of(), order.indexOf(copied.get(r.part())), r.setting(), r.value())
              : r);
    }
    for (int i = 0; i < order.size(); i++) {
      if (!copied.contains(order.get(i))) {
        all.add(new Rule(RuleScope.DISK, machine, i, Setting.COPY, Rules.OFF));
      }
    }
    return all;
  }

  /**
   * Where a machine runs that was found.
   *
   * @param told its berth there as the manifest tells it; null where it tells none
   */
  private static Berth berth(MachineFacts found, Berth told) {
    List<String> all = found.disks().stream().map(Inventory.Disk::volume).toList();
    List<String> out = told == null ? List.of() : told.leftOut();
    return new Berth(
        found.platformId(),
        all.stream().filter(v -> !out.contains(v)).toList(),
        List.of(),
        "",
        all,
        told == null ? Map.of() : told.carried());
  }

  private static Set<String> names(List<Owned> things, String kind) {
    return things.stream()
        .filter(o -> o.kind().equals(kind))
        .map(Owned::name)
        .collect(Collectors.toSet());
  }

  /** A site that is known by its name, or as the manifest tells it. */
  private static SiteEntity shore(Session s, Manifest.Shore told, Manifest m, Instant now) {
    List<MachineFacts> machines =
        told.equals(m.home())
            ? m.machines().stream().map(Manifest.Machine::facts).toList()
            : List.of();
    return Sites.known(
        s,
        new Sites.Told(
            told.name(),
            told.siteKind(),
            told.address(),
            Optional.ofNullable(told.capabilities()),
            new Inventory(
                machines,
                told.networks(),
                told.storages(),
                List.of(),
                List.of(),
                new Inventory.Quota(0, 0, 0, 0)),
            m.asOf()),
        now);
  }

  private void record(Session s, SiteEntity here, Found f, boolean removeMachines) {
    List<Owned> kept = new ArrayList<>(f.things().stream().filter(f::isKept).toList());
    if (f.runsHere()) {
      kept.addAll(f.running(f.standing().values()));
    } else if (removeMachines) {
      services.ledger().takeOver(s, here.id, f.tow(), f.machines(f.strays()), false);
    }
    services.ledger().takeOver(s, here.id, f.tow(), kept, true);
  }

  /**
   * Puts this service's identity beside the points and its tag on the copies, so that the service
   * that made them sees it, should it come back; and has the site refuse what that one still does.
   *
   * @param epoch higher than any that that service can have
   */
  void mark(SiteEntity here, Found f, long epoch) {
    Target target = services.sites().driver(here.id).target();
    String newest = f.points().get(f.points().size() - 1).ref().name();
    for (String key : services.runs().keys(f.tow())) {
      new Acting(key, epoch, true)
          .run(
              () -> {
                services.custody().take(target, newest);
                return null;
              });
    }
    String owner = services.ledger().owner(f.tow());
    f.points().forEach(p -> services.custody().take(target, p.ref().name()));
    names(f.things(), "volume").stream()
        .filter(f.replicas()::contains)
        .forEach(v -> target.own(v, owner));
  }
}
