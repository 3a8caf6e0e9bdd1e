package bargelane.service.machine;

import bargelane.api.FactView;
import bargelane.api.FactView.Told;
import bargelane.api.SourceView;
import bargelane.api.SurveyView;
import bargelane.core.guest.Survey;
import bargelane.core.guest.SurveyFacts;
import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.MachineDiff;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.site.SiteEntity;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.stream.Stream;
import org.hibernate.Session;

/** Who told what of a machine, and when: one machine may be told of by several. */
final class Sources {

  private Sources() {}

  /** That a site told of a machine, and when last. */
  record Seen(String siteId, Instant at) {}

  /** Who told of each of these machines beside a platform, the newest first; no facts are read. */
  static Map<String, List<Seen>> seen(Session s, List<String> machines) {
    Map<String, List<Seen>> seen = new HashMap<>();
    for (Object[] row :
        Db.list(
            s,
            Object[].class,
            "select machineId, siteId, seenAt from SightingEntity where machineId in ?1"
                + " order by seenAt desc",
            machines)) {
      seen.computeIfAbsent((String) row[0], x -> new ArrayList<>())
          .add(new Seen((String) row[1], (Instant) row[2]));
    }
    return seen;
  }

  static List<SourceView> views(Session s, SiteEntity home, List<Seen> seen) {
    List<SourceView> views = new ArrayList<>();
    if (seen.stream().noneMatch(g -> g.siteId().equals(home.id))) {
      views.add(new SourceView(home.name, home.kind.word(), true, home.scannedAt));
    }
    for (Seen g : seen) {
      SiteEntity site = s.find(SiteEntity.class, g.siteId());
      views.add(new SourceView(site.name, site.kind.word(), site.id.equals(home.id), g.at()));
    }
    return views;
  }

  /** When anybody told of it last. */
  static Instant lastSeen(SiteEntity home, List<Seen> seen) {
    return Stream.concat(
            seen.stream().map(Seen::at),
            seen.stream().anyMatch(g -> g.siteId().equals(home.id))
                ? Stream.of()
                : Stream.of(home.scannedAt))
        .filter(Objects::nonNull)
        .max(Instant::compareTo)
        .orElse(null);
  }

  /** All that was told of a machine; the home's word first, then the newest. */
  static List<SightingEntity> sightings(Session s, MachineEntity m) {
    return Db.list(
        s,
        SightingEntity.class,
        "from SightingEntity where machineId = ?1"
            + " order by case when siteId = ?2 then 0 else 1 end, seenAt desc",
        m.id,
        m.siteId);
  }

  /** Fact by fact; the home's word first, then the newest. */
  static List<FactView> facts(Session s, MachineEntity m) {
    SiteEntity home = s.find(SiteEntity.class, m.siteId);
    List<SightingEntity> sightings = sightings(s, m);
    Map<String, List<Told>> facts = new LinkedHashMap<>();
    if (sightings.stream().noneMatch(g -> g.siteId.equals(home.id))) {
      MachineFacts told = Json.read(m.facts, MachineFacts.class);
      // What others read inside it is told as theirs.
      add(
          facts,
          told.guest().toldBy().isEmpty() ? told : told.telling(GuestFacts.NONE),
          home.name,
          m.vanishedAt == null ? home.scannedAt : m.lastSeen);
    }
    for (SightingEntity g : sightings) {
      add(
          facts,
          Json.read(g.facts, MachineFacts.class),
          s.find(SiteEntity.class, g.siteId).name,
          g.seenAt);
    }
    return facts.entrySet().stream().map(e -> new FactView(e.getKey(), e.getValue())).toList();
  }

  private static void add(
      Map<String, List<Told>> facts, MachineFacts told, String site, Instant at) {
    MachineDiff.facts(told)
        .forEach(
            (fact, value) -> {
              if (!value.isEmpty()) {
                facts.computeIfAbsent(fact, x -> new ArrayList<>()).add(new Told(value, site, at));
              }
            });
  }

  static List<SurveyView> surveys(Session s, MachineEntity m) {
    return sightings(s, m).stream()
        .filter(g -> g.survey != null)
        .sorted(Comparator.comparing((SightingEntity g) -> g.seenAt).reversed())
        .map(g -> view(s.find(SiteEntity.class, g.siteId).name, g))
        .toList();
  }

  private static SurveyView view(String site, SightingEntity g) {
    Survey x = Json.read(g.survey, Survey.class);
    return new SurveyView(
        site,
        g.seenAt,
        x.account(),
        x.at(),
        x.uptimeSeconds(),
        x.guestId(),
        x.hardwareId(),
        x.vendor(),
        x.product(),
        x.architecture(),
        x.cpuModel(),
        x.osName(),
        x.osVersion(),
        x.patchedAt().orElse(null),
        x.devices().stream()
            .map(
                d ->
                    new SurveyView.DeviceView(
                        d.name(),
                        d.bytes(),
                        d.parents(),
                        d.model(),
                        List.copyOf(SurveyFacts.mountedFrom(x, d))))
            .toList(),
        x.routes().stream().map(r -> new SurveyView.RouteView(r.to(), r.via(), r.card())).toList(),
        x.packages().stream()
            .map(p -> new SurveyView.PackageView(p.name(), p.version(), p.architecture()))
            .toList(),
        x.services(),
        x.listeners().stream()
            .map(l -> new SurveyView.ListenerView(l.protocol(), l.address(), l.port(), l.process()))
            .toList(),
        x.unread().stream().map(u -> new SurveyView.UnreadView(u.fact(), u.why())).toList());
  }
}
