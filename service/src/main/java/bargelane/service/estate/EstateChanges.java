package bargelane.service.estate;

import bargelane.api.LabelRuleAdd;
import bargelane.api.LaneAdd;
import bargelane.api.RuleChange;
import bargelane.api.RuleChanges;
import bargelane.api.SiteAdd;
import bargelane.api.SiteCredentials;
import bargelane.api.TimetableAdd;
import bargelane.api.TimetableEdit;
import bargelane.api.WaveAdd;
import bargelane.api.WaveMachine;
import bargelane.core.estate.EstateMerge;
import bargelane.core.estate.EstateMerge.Change;
import bargelane.core.estate.EstatePath;
import bargelane.core.estate.Section;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.AddressRule;
import bargelane.core.lane.RuleScope;
import bargelane.core.lane.Setting;
import bargelane.service.lane.LaneEntity;
import bargelane.service.lane.Lanes;
import bargelane.service.machine.LabelRules;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.service.replication.TowEntity;
import bargelane.service.site.SiteEntity;
import bargelane.text.Durations;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.function.BiConsumer;
import java.util.function.Predicate;
import org.hibernate.Session;

/**
 * Makes the changes of an estate file through the rooms that they are about, in one transaction. It
 * goes on after what can't be done, so that all of that is told at once; whoever began the
 * transaction undoes it then.
 */
final class EstateChanges {

  private final EstateRooms rooms;
  private final Session session;
  private final EstateState state;
  private final String by;
  private final SortedMap<EstatePath, String> after;
  private final Map<EstatePath, List<Change>> byThing = new TreeMap<>();
  private final BiConsumer<EstatePath, ProblemException> refused;

  /** Sites whose schedule was stored, to be kept to once that is committed. */
  final List<String> scheduled = new ArrayList<>();

  private final TreeMap<String, List<LabelRuleAdd>> labels = new TreeMap<>();
  private boolean stopped;

  /**
   * @param refused hears of what can't be done, by its path
   */
  EstateChanges(
      EstateRooms rooms,
      Session session,
      EstateState state,
      EstateMerge merge,
      String by,
      BiConsumer<EstatePath, ProblemException> refused) {
    this.rooms = rooms;
    this.session = session;
    this.state = state;
    this.by = by;
    this.refused = refused;
    this.after = merge.into(state.values);
    merge
        .changes()
        .forEach(c -> byThing.computeIfAbsent(c.path().thing(), t -> new ArrayList<>()).add(c));
  }

  /** Makes them: first what goes, then what comes, each after what it needs. */
  void make() {
    each(Section.LANES, this::stays, thing -> decide(thing, c -> c.after().isEmpty()));
    each(Section.WAVES, this::goes, thing -> rooms.waves().drop(name(thing)));
    each(Section.LANES, this::goes, this::dropLane);
    each(Section.TIMETABLES, this::goes, thing -> rooms.timetables().remove(name(thing)));
    each(Section.SITES, this::goes, thing -> rooms.sites().remove(name(thing)));
    each(Section.SITES, this::comes, this::site);
    each(Section.TIMETABLES, this::comes, this::timetable);
    each(Section.LABELS, thing -> true, this::label);
    labels();
    each(Section.LANES, this::comes, this::lane);
    each(Section.LANES, this::comes, thing -> decide(thing, c -> made(c) && !ofWave(c)));
    each(Section.WAVES, this::comes, this::wave);
    each(Section.LANES, this::comes, thing -> decide(thing, c -> made(c) && ofWave(c)));
    if (!stopped) {
      session.flush();
    }
  }

  private interface Work {
    void on(EstatePath thing);
  }

  private void each(Section section, Predicate<EstatePath> which, Work work) {
    for (EstatePath thing : byThing.keySet()) {
      if (!stopped && thing.section().equals(section.word()) && which.test(thing)) {
        try {
          work.on(thing);
        } catch (ProblemException e) {
          refused.accept(thing, e);
          // The database refuses everything after what it has refused itself.
          stopped = e.getCause() != null || goes(thing);
        }
      }
    }
  }

  private boolean there(SortedMap<EstatePath, String> values, EstatePath thing) {
    SortedMap<EstatePath, String> from = values.tailMap(thing);
    return !from.isEmpty() && from.firstKey().thing().equals(thing);
  }

  private boolean goes(EstatePath thing) {
    return !there(after, thing);
  }

  private boolean comes(EstatePath thing) {
    return there(after, thing);
  }

  private boolean isNew(EstatePath thing) {
    return !there(state.values, thing);
  }

  private boolean stays(EstatePath thing) {
    return comes(thing) && !isNew(thing);
  }

  private static String name(EstatePath thing) {
    return thing.steps().get(1);
  }

  private Optional<String> value(EstatePath thing, String... field) {
    List<String> steps = new ArrayList<>(thing.steps());
    steps.addAll(List.of(field));
    return Optional.ofNullable(after.get(new EstatePath(steps)));
  }

  private String must(EstatePath thing, String field) {
    return value(thing, field)
        .orElseThrow(
            () ->
                ProblemException.invalid(
                    "field-missing", thing + " has no '" + field + "'", "give it"));
  }

  private boolean changes(EstatePath thing, String field) {
    return byThing.get(thing).stream().anyMatch(c -> c.path().field().get(0).equals(field));
  }

  /** Refuses a change of what a thing has for as long as it is there. */
  private void fixed(EstatePath thing, String... fields) {
    for (Change c : byThing.get(thing)) {
      String field = c.path().field().get(0);
      if (Arrays.asList(fields).contains(field)) {
        refused.accept(
            c.path(),
            ProblemException.invalid(
                "field-fixed",
                c.path()
                    + " is "
                    + c.before().orElse("empty")
                    + ", and does not change while it is there",
                "leave it as it is; or remove it from the file, import that, and add it anew"));
      }
    }
  }

  private void site(EstatePath thing) {
    String name = name(thing);
    List<String> credentials =
        value(thing, EstateFields.CREDENTIALS).map(n -> List.of(n.split(", "))).orElse(List.of());
    if (isNew(thing)) {
      rooms
          .sites()
          .add(
              new SiteAdd(
                  name, must(thing, "kind"), value(thing, "address").orElse(""), "", credentials));
    } else {
      fixed(thing, "kind", "address");
      if (changes(thing, EstateFields.CREDENTIALS)) {
        rooms.sites().credentials(name, new SiteCredentials(credentials), by);
      }
    }
    if (changes(thing, "schedule")) {
      scheduled.add(
          rooms.schedules().store(session, name, value(thing, "schedule").orElse(""), by));
    }
  }

  private void timetable(EstatePath thing) {
    int every = seconds(thing, "every");
    int rpo = seconds(thing, "rpo");
    int keep = Integer.parseInt(must(thing, "keep"));
    boolean verify = Boolean.parseBoolean(must(thing, "verify"));
    boolean quiesce = Boolean.parseBoolean(must(thing, "quiesce"));
    if (isNew(thing)) {
      rooms.timetables().add(new TimetableAdd(name(thing), every, rpo, keep, verify, quiesce));
    } else {
      rooms.timetables().edit(name(thing), new TimetableEdit(every, rpo, keep, verify, quiesce));
    }
  }

  private int seconds(EstatePath thing, String field) {
    return (int) Durations.parse(must(thing, field)).getSeconds();
  }

  /** Looks at the rules of a label; those of all labels are stored together. */
  private void label(EstatePath thing) {
    List<LabelRuleAdd> rules =
        value(thing, EstateFields.RULES)
            .map(
                v ->
                    EstateFields.rules(v).stream()
                        .map(r -> new LabelRuleAdd(r.get(1), name(thing), r.get(0)))
                        .toList())
            .orElse(List.of());
    rules.forEach(LabelRules::check);
    labels.put(name(thing), rules);
  }

  private void labels() {
    if (!stopped && !labels.isEmpty()) {
      try {
        rooms.labels().replace(labels, by);
      } catch (ProblemException e) {
        refused.accept(EstatePath.of(Section.LABELS.word(), labels.firstKey()), e);
      }
    }
  }

  private void dropLane(EstatePath thing) {
    LaneEntity lane = state.lanes.get(name(thing));
    Db.first(session, TowEntity.class, "from TowEntity where laneId = ?1 order by name", lane.id)
        .ifPresent(
            tow -> {
              throw ProblemException.conflict(
                  "lane-in-use",
                  "lane " + lane.name + " is used by wave " + tow.name,
                  "leave the lane in the file");
            });
    rooms.lanes().remove(lane.name);
  }

  private void lane(EstatePath thing) {
    if (isNew(thing)) {
      rooms
          .lanes()
          .add(
              new LaneAdd(
                  name(thing),
                  must(thing, "from"),
                  must(thing, "to"),
                  Map.of(),
                  Map.of(),
                  "",
                  true));
    } else {
      fixed(thing, "from", "to");
    }
  }

  private static boolean made(Change c) {
    return c.after().isPresent();
  }

  private static boolean decision(Change c) {
    return c.path().field().get(0).equals(EstateFields.DECISIONS);
  }

  private static boolean ofWave(Change c) {
    return c.path().field().get(1).equals(RuleScope.WAVE.word());
  }

  private void decide(EstatePath thing, Predicate<Change> which) {
    List<Change> of =
        byThing.get(thing).stream().filter(c -> decision(c) && which.test(c)).toList();
    List<EstatePath> asked = new ArrayList<>();
    List<RuleChange> changes = new ArrayList<>();
    String site = siteOf(name(thing));
    for (Change c : of) {
      try {
        changes.add(change(site, c));
        asked.add(c.path());
      } catch (ProblemException e) {
        refused.accept(c.path(), e);
      }
    }
    if (!changes.isEmpty()) {
      rooms
          .lanes()
          .decide(
              name(thing),
              new RuleChanges(changes),
              Optional.empty(),
              (i, e) -> refused.accept(asked.get(i), e));
    }
  }

  /** The site that a lane begins at, by its id. */
  private String siteOf(String lane) {
    return Lanes.find(session, lane).fromSiteId;
  }

  private RuleChange change(String site, Change c) {
    List<String> field = c.path().field();
    String scope = field.get(1);
    String setting = field.get(field.size() - 1);
    String value = c.after().orElse("");
    String of = field.size() == 4 ? field.get(2) : "";
    Integer part = null;
    if (scope.equals(RuleScope.CARD.word()) || scope.equals(RuleScope.DISK.word())) {
      int slash = of.lastIndexOf('/');
      if (slash < 1 || !of.substring(slash + 1).matches("[0-9]{1,6}")) {
        throw ProblemException.invalid(
            "part-malformed",
            "'" + of + "' names no " + scope,
            "write it as MACHINE/NUMBER, counted from 0");
      }
      part = Integer.valueOf(of.substring(slash + 1));
      of = state.machines.id(site, of.substring(0, slash));
    } else if (scope.equals(RuleScope.MACHINE.word())) {
      of = state.machines.id(site, of);
    }
    if (value.isEmpty()
        && scope.equals(RuleScope.LANE.word())
        && setting.equals(Setting.ADDRESS.word())) {
      // A lane always has one: this is what it begins with.
      value = AddressRule.usual(true).text();
    }
    return new RuleChange(scope, of, part, setting, value);
  }

  private ProblemException noMachine(String site, String name) {
    String at = session.find(SiteEntity.class, site).name;
    return ProblemException.invalid(
        "machine-unknown",
        at + " has no one machine '" + name + "'",
        Remedy.of("scan the site; where several have the name, give the id", Action.MACHINE_LIST));
  }

  private void wave(EstatePath thing) {
    String lane = must(thing, "lane");
    String site = siteOf(lane);
    List<WaveMachine> machines = new ArrayList<>();
    boolean all = true;
    for (Map.Entry<EstatePath, String> e : after.tailMap(thing).entrySet()) {
      List<String> field = e.getKey().field();
      if (!e.getKey().thing().equals(thing)) {
        break;
      }
      if (field.get(0).equals(EstateFields.MACHINES)) {
        String id = state.machines.id(site, field.get(1));
        if (state.machines.at(site, id)) {
          machines.add(new WaveMachine(id, Integer.parseInt(e.getValue())));
        } else {
          all = false;
          refused.accept(e.getKey(), noMachine(site, field.get(1)));
        }
      }
    }
    if (!all) {
      return;
    }
    WaveAdd asked = new WaveAdd(name(thing), lane, must(thing, "timetable"), machines);
    if (isNew(thing)) {
      rooms.waves().add(asked);
    } else {
      rooms.waves().change(asked);
    }
  }
}
