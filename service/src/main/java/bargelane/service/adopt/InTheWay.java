package bargelane.service.adopt;

import bargelane.api.AdoptRequest;
import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.core.site.SiteKind;
import bargelane.service.machine.MachineEntity;
import bargelane.service.platform.Db;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.Manifest;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.Tows;
import bargelane.service.site.SiteEntity;
import bargelane.sites.Drivers;
import bargelane.sites.SiteAccess;
import bargelane.text.Counts;
import bargelane.text.Durations;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.hibernate.Session;

/** What is in the way of taking over a wave of another service. */
record InTheWay(Services services) {

  static boolean yes(Boolean asked) {
    return asked != null && asked;
  }

  List<Finding> of(Session s, SiteEntity site, Found f, AdoptRequest asked) {
    List<Finding> findings = new ArrayList<>();
    if (!f.unread().isEmpty()) {
      findings.add(
          new Finding(
              f.points().isEmpty() ? Code.NO_POINT : Code.POINT_UNREADABLE,
              f.name(),
              Counts.of(f.unread().size(), "point")
                  + " can't be read and may be newer than those that can; "
                  + f.unread().get(0),
              "they are left as they are",
              Who.ENGINEER));
    }
    if (f.points().isEmpty()) {
      return findings;
    }
    Manifest newest = f.newest();
    Duration age = Duration.between(newest.asOf(), services.clock().instant());
    Duration period = Duration.ofSeconds(newest.timetable().every());
    if (!yes(asked.serviceGone()) && age.compareTo(period.multipliedBy(2)) < 0) {
      findings.add(
          new Finding(
              Code.SERVICE_MAY_LIVE,
              f.name(),
              "its newest point is "
                  + Durations.text(age.isNegative() ? Duration.ZERO : age)
                  + " old and its timetable makes one every "
                  + Durations.text(period)
                  + ": the service that made it may still work",
              "if that service is gone for good, say so: --service-gone",
              Who.ENGINEER));
    }
    if (!f.running().isEmpty() && !f.runsHere()) {
      findings.add(
          new Finding(
              Code.WAVE_RUNS_IN_PART,
              f.name(),
              "of its "
                  + Counts.of(newest.machines().size(), "machine")
                  + " only these run at "
                  + site.name
                  + ": "
                  + String.join(", ", f.running()),
              "start the others there too, or switch these off",
              Who.ENGINEER));
    }
    if (!f.strays().isEmpty() && !f.runsHere() && !yes(asked.removeMachines())) {
      findings.add(
          new Finding(
              Code.MACHINE_LEFT_BY_MOVE,
              f.strays().get(0).name(),
              "it stands at "
                  + site.name
                  + " switched off, from a move that was not ended; what it wrote, should it have run,"
                  + " is on its disks and in no point",
              "start it if it is to run on, or have it removed and keep its disks: --remove-machines",
              Who.ENGINEER));
    }
    if (!Db.list(s, Object.class, "from WaveEntity where name = ?1", newest.wave()).isEmpty()) {
      findings.add(
          new Finding(
              Code.NAME_TAKEN,
              f.name(),
              "there is another wave '" + newest.wave() + "' here",
              "remove or settle that wave first",
              Who.ENGINEER));
    }
    if (f.points().stream().anyMatch(p -> s.find(LegEntity.class, p.manifest().leg().id()) != null)
        || newest.machines().stream().anyMatch(m -> s.find(MemberEntity.class, m.id()) != null)) {
      findings.add(
          new Finding(
              Code.NAME_TAKEN,
              f.name(),
              "its manifests have ids that another wave has here",
              "it can't be taken over into this service: take another, empty one",
              Who.ENGINEER));
    }
    for (Manifest.Machine m : newest.machines()) {
      held(s, newest, m)
          .ifPresent(
              x ->
                  findings.add(
                      new Finding(
                          Code.MACHINE_IN_WAVE,
                          m.name(),
                          "it is in another open wave here",
                          "settle or remove that wave first",
                          Who.ENGINEER)));
    }
    Manifest.Shore lost = f.lost();
    Optional<SiteEntity> known = other(s, f);
    if (known.isEmpty()) {
      unfit(lost)
          .ifPresent(
              why ->
                  findings.add(
                      new Finding(
                          Code.SITE_ADDRESS_UNFIT,
                          lost.name(),
                          why,
                          Remedy.of(
                              "add it first, by this name, with the address that it has from here",
                              Action.SITE_ADD,
                              lost.kind()),
                          Who.ENGINEER)));
    }
    known
        .filter(o -> !o.address.equals(lost.address()) || o.kind != lost.siteKind())
        .ifPresent(
            o ->
                findings.add(
                    new Finding(
                        Code.SITE_DIFFERS,
                        o.name,
                        "it was at " + lost.address() + " and is at " + o.address + " here",
                        "see that it is the same site",
                        Who.ENGINEER)));
    return findings;
  }

  /** Why a site can't be reached from here by the address that the lost service had for it. */
  private Optional<String> unfit(Manifest.Shore lost) {
    if (lost.siteKind() == SiteKind.LIBVIRT && lost.address().startsWith("qemu:///")) {
      return Optional.of(
          "its address " + lost.address() + " means the host that the lost service ran on");
    }
    try {
      Drivers.open(
          SiteAccess.of(lost.siteKind(), lost.name(), lost.address(), ""), services.clock());
      return Optional.empty();
    } catch (IllegalArgumentException e) {
      return Optional.of("its address can't be used: " + e.getMessage());
    }
  }

  private static Optional<SiteEntity> other(Session s, Found f) {
    return Db.first(s, SiteEntity.class, "from SiteEntity where name = ?1", f.lost().name());
  }

  private static Optional<MachineEntity> held(Session s, Manifest newest, Manifest.Machine m) {
    return Db.first(
            s,
            MachineEntity.class,
            "select m from MachineEntity m join SiteEntity x on x.id = m.siteId"
                + " where x.name = ?1 and m.platformId = ?2",
            newest.home().name(),
            m.facts().platformId())
        .filter(x -> Tows.holds(s, x.id));
  }
}
