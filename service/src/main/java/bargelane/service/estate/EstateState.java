package bargelane.service.estate;

import bargelane.core.estate.EstatePath;
import bargelane.core.estate.Section;
import bargelane.core.lane.AddressRule;
import bargelane.core.lane.LanePlan;
import bargelane.core.lane.Rule;
import bargelane.core.lane.RuleScope;
import bargelane.core.lane.Setting;
import bargelane.service.lane.LaneEntity;
import bargelane.service.lane.LaneRuleStore;
import bargelane.service.machine.LabelRuleEntity;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.TimetableEntity;
import bargelane.service.replication.TowEntity;
import bargelane.service.site.Credentials;
import bargelane.service.site.SiteEntity;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.SortedMap;
import java.util.TreeMap;
import org.hibernate.Session;

/** What an installation is set up with, as estate files have it. */
final class EstateState {

  final SortedMap<EstatePath, String> values = new TreeMap<>();
  final Map<String, SiteEntity> sites = new HashMap<>();
  final Map<String, LaneEntity> lanes = new HashMap<>();
  final Map<String, TowEntity> tows = new HashMap<>();
  final MachineNames machines;

  private EstateState(MachineNames machines) {
    this.machines = machines;
  }

  /** Reads it, in a few questions whatever there is. */
  static EstateState of(Session s) {
    EstateState state = new EstateState(MachineNames.of(s));
    Map<String, String> siteNames = new HashMap<>();
    for (SiteEntity site : Db.list(s, SiteEntity.class, "from SiteEntity order by name")) {
      siteNames.put(site.id, site.name);
      state.sites.put(site.name, site);
      state.site(site, Credentials.names(s, site.id));
    }
    Map<String, String> timetableNames = new HashMap<>();
    for (TimetableEntity t : Db.list(s, TimetableEntity.class, "from TimetableEntity")) {
      timetableNames.put(t.id, t.name);
      state.timetable(t);
    }
    state.labels(Db.list(s, LabelRuleEntity.class, "from LabelRuleEntity order by number"));
    Map<String, LaneEntity> byId = new HashMap<>();
    Map<String, String> waveNames = new HashMap<>();
    List<TowEntity> open =
        Db.list(s, TowEntity.class, "from TowEntity where settledAt is null order by name");
    open.forEach(t -> waveNames.put(t.waveId, t.name));
    for (LaneEntity lane : Db.list(s, LaneEntity.class, "from LaneEntity order by name")) {
      byId.put(lane.id, lane);
      state.lanes.put(lane.name, lane);
      state.lane(lane, siteNames, waveNames, LaneRuleStore.all(s, lane.id));
    }
    Map<String, List<MemberEntity>> members = new HashMap<>();
    Db.list(
            s,
            MemberEntity.class,
            "select m from MemberEntity m join TowEntity t on t.id = m.towId"
                + " where t.settledAt is null and m.open")
        .forEach(m -> members.computeIfAbsent(m.towId, t -> new ArrayList<>()).add(m));
    for (TowEntity tow : open) {
      state.tows.put(tow.name, tow);
      state.wave(
          tow,
          byId.get(tow.laneId),
          timetableNames.get(tow.timetableId),
          members.getOrDefault(tow.id, List.of()));
    }
    return state;
  }

  private void put(String value, Section section, String... steps) {
    List<String> all = new ArrayList<>();
    all.add(section.word());
    all.addAll(List.of(steps));
    values.put(new EstatePath(all), value);
  }

  private void site(SiteEntity site, List<String> credentials) {
    put(site.kind.word(), Section.SITES, site.name, "kind");
    if (!site.address.isBlank()) {
      put(site.address, Section.SITES, site.name, "address");
    }
    if (!credentials.isEmpty()) {
      put(String.join(", ", credentials), Section.SITES, site.name, EstateFields.CREDENTIALS);
    }
    if (!site.schedule.isBlank()) {
      put(site.schedule, Section.SITES, site.name, "schedule");
    }
  }

  private void timetable(TimetableEntity t) {
    put(EstateFields.duration(t.everySeconds), Section.TIMETABLES, t.name, "every");
    put(EstateFields.duration(t.rpoSeconds), Section.TIMETABLES, t.name, "rpo");
    put(String.valueOf(t.keepPoints), Section.TIMETABLES, t.name, "keep");
    put(String.valueOf(t.verify), Section.TIMETABLES, t.name, "verify");
    put(String.valueOf(t.quiesce), Section.TIMETABLES, t.name, "quiesce");
  }

  private void labels(List<LabelRuleEntity> rules) {
    Map<String, List<List<String>>> byLabel = new LinkedHashMap<>();
    rules.forEach(
        r ->
            byLabel
                .computeIfAbsent(r.name, n -> new ArrayList<>())
                .add(List.of(r.value, r.filter)));
    byLabel.forEach((label, of) -> put(Json.text(of), Section.LABELS, label, EstateFields.RULES));
  }

  private void lane(
      LaneEntity lane, Map<String, String> sites, Map<String, String> waves, List<Rule> rules) {
    put(sites.get(lane.fromSiteId), Section.LANES, lane.name, "from");
    put(sites.get(lane.toSiteId), Section.LANES, lane.name, "to");
    LanePlan plan = Json.read(lane.plan, LanePlan.class);
    if (!plan.keepAddresses()) {
      decision(lane, RuleScope.LANE, "", Setting.ADDRESS, AddressRule.usual(false).text());
    }
    if (!plan.zone().isEmpty()) {
      decision(lane, RuleScope.LANE, "", Setting.ZONE, plan.zone());
    }
    plan.networks().forEach((of, to) -> decision(lane, RuleScope.NETWORK, of, Setting.SUBNET, to));
    plan.storages().forEach((of, to) -> decision(lane, RuleScope.STORAGE, of, Setting.CLASS, to));
    for (Rule r : rules) {
      String of =
          switch (r.scope()) {
            case MACHINE -> machines.name(r.of());
            case CARD, DISK -> machines.name(r.of()) + "/" + r.part();
            case WAVE -> waves.get(r.of());
            default -> r.of();
          };
      // What a settled wave decided stays with its record.
      if (of != null) {
        decision(lane, r.scope(), of, r.setting(), r.value());
      }
    }
  }

  private void decision(
      LaneEntity lane, RuleScope scope, String of, Setting setting, String value) {
    if (scope == RuleScope.LANE) {
      put(value, Section.LANES, lane.name, EstateFields.DECISIONS, scope.word(), setting.word());
    } else {
      put(
          value,
          Section.LANES,
          lane.name,
          EstateFields.DECISIONS,
          scope.word(),
          of,
          setting.word());
    }
  }

  private void wave(TowEntity tow, LaneEntity lane, String timetable, List<MemberEntity> members) {
    put(lane.name, Section.WAVES, tow.name, "lane");
    put(timetable, Section.WAVES, tow.name, "timetable");
    for (MemberEntity m : members) {
      put(
          String.valueOf(m.rank),
          Section.WAVES,
          tow.name,
          EstateFields.MACHINES,
          machines.name(m.machineId));
    }
  }

  /**
   * What a file has, in the forms that these values have: machines by the names that they are
   * exported with, a site's address with what was chosen there at its first check, and what holds
   * where a file says nothing.
   */
  SortedMap<EstatePath, String> likeThis(SortedMap<EstatePath, String> file) {
    SortedMap<EstatePath, String> same = new TreeMap<>();
    file.forEach(
        (path, value) -> {
          EstatePath at = path;
          String told = value;
          List<String> field = path.field();
          String name = path.steps().get(1);
          switch (Section.of(path.section()).orElseThrow()) {
            case SITES -> {
              SiteEntity site = sites.get(name);
              if (field.get(0).equals("address") && site != null && settled(value, site.address)) {
                told = site.address;
              }
            }
            case LANES -> {
              if (field.size() == 4) {
                at = with(path, 4, ref(file, name, field.get(1), field.get(2)));
              }
            }
            case WAVES -> {
              if (field.size() == 2) {
                String lane = file.getOrDefault(EstatePath.of(path.section(), name, "lane"), "");
                at = with(path, 3, machines.like(from(file, lane), field.get(1)));
              }
            }
            default -> {
              // as it stands
            }
          }
          same.put(at, told);
          if (path.section().equals(Section.TIMETABLES.word())) {
            // True where nobody says.
            for (String flag : List.of("verify", "quiesce")) {
              EstatePath said = EstatePath.of(path.section(), name, flag);
              if (!file.containsKey(said)) {
                same.put(said, "true");
              }
            }
          }
        });
    return same;
  }

  /** Whether an address is another one with what a check has chosen there. */
  private static boolean settled(String told, String now) {
    return now.startsWith(told)
        && (now.startsWith("?", told.length()) || now.startsWith("&", told.length()));
  }

  private String ref(SortedMap<EstatePath, String> file, String lane, String scope, String told) {
    if (scope.equals(RuleScope.MACHINE.word())) {
      return machines.like(from(file, lane), told);
    }
    int slash = told.lastIndexOf('/');
    boolean part = scope.equals(RuleScope.CARD.word()) || scope.equals(RuleScope.DISK.word());
    return part && slash > 0
        ? machines.like(from(file, lane), told.substring(0, slash)) + told.substring(slash)
        : told;
  }

  /** The site that a lane begins at, by its id; empty where there is none yet. */
  private String from(SortedMap<EstatePath, String> file, String lane) {
    LaneEntity known = lanes.get(lane);
    if (known != null) {
      return known.fromSiteId;
    }
    SiteEntity site =
        sites.get(file.getOrDefault(EstatePath.of(Section.LANES.word(), lane, "from"), ""));
    return site == null ? "" : site.id;
  }

  private static EstatePath with(EstatePath path, int step, String value) {
    List<String> steps = new ArrayList<>(path.steps());
    steps.set(step, value);
    return new EstatePath(steps);
  }
}
