package bargelane.service.lane;

import bargelane.api.LaneAdd;
import bargelane.api.LaneView;
import bargelane.api.RuleChange;
import bargelane.api.RuleChanges;
import bargelane.api.RuleView;
import bargelane.api.SettingView;
import bargelane.api.ShoreView;
import bargelane.api.SuggestionView;
import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.Joins;
import bargelane.core.lane.LanePlan;
import bargelane.core.lane.Rule;
import bargelane.core.lane.Rules;
import bargelane.core.lane.Suggestions;
import bargelane.core.site.Inventory;
import bargelane.service.assess.DiskUses;
import bargelane.service.connection.NetworkTraffic;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.SiteTenant;
import bargelane.service.site.Sites;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.BiConsumer;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.hibernate.LockMode;
import org.hibernate.Session;
import org.hibernate.exception.ConstraintViolationException;

/** Lanes and their joins. */
public final class Lanes implements SiteTenant {

  /** Decisions that one call makes: those of an address plan of 20,000 cards, and some more. */
  private static final int MOST_CHANGES = 50_000;

  private final Db db;
  private final Events events;

  public Lanes(Db db, Events events) {
    this.db = db;
    this.events = events;
  }

  private void tell(Session s, LaneEntity lane, String what) {
    events.tell(s, "lane", lane.id, "", "lane " + lane.name + " " + what, null);
  }

  public static LaneEntity find(Session s, String ref) {
    return Db.first(s, LaneEntity.class, "from LaneEntity where id = ?1 or name = ?1", ref)
        .orElseThrow(() -> ProblemException.missing("lane", ref));
  }

  public LaneView add(LaneAdd asked) {
    Sites.name("lane", asked.name());
    return db.tx(
        s -> {
          Sites.unused(s, "LaneEntity", "lane", asked.name());
          SiteEntity from = Sites.find(s, required("from", asked.from()));
          SiteEntity to = Sites.find(s, required("to", asked.to()));
          if (from.id.equals(to.id)) {
            throw ProblemException.invalid(
                "lane-circular",
                "a lane leads from one site to another; both ends are " + from.name,
                "name two sites");
          }
          LaneEntity lane = new LaneEntity();
          lane.id = Ids.next("lane");
          lane.name = asked.name();
          lane.fromSiteId = from.id;
          lane.toSiteId = to.id;
          lane.plan = Json.text(plan(asked, new LanePlan(Map.of(), Map.of(), "", true)));
          s.persist(lane);
          tell(s, lane, "added");
          return view(s, lane);
        });
  }

  /** A lane with these ends and joins, whatever it is called, or a new one. */
  public static LaneEntity known(
      Session s, String name, SiteEntity from, SiteEntity to, LanePlan plan) {
    for (LaneEntity l :
        Db.list(
            s,
            LaneEntity.class,
            "from LaneEntity where fromSiteId = ?1 and toSiteId = ?2 order by name",
            from.id,
            to.id)) {
      if (Json.read(l.plan, LanePlan.class).equals(plan)) {
        return l;
      }
    }
    LaneEntity lane = new LaneEntity();
    lane.id = Ids.next("lane");
    lane.name = Sites.free(s, "LaneEntity", "lane", name);
    lane.fromSiteId = from.id;
    lane.toSiteId = to.id;
    lane.plan = Json.text(plan);
    s.persist(lane);
    s.flush();
    return lane;
  }

  /** Makes decisions for machines that are taken over with their waves. */
  public static void decided(Session s, String lane, List<Rule> rules) {
    LaneRuleStore.put(s, lane, rules);
  }

  private static String required(String field, String value) {
    if (value == null || value.isBlank()) {
      throw ProblemException.invalid("field-missing", "'" + field + "' is missing", "give it");
    }
    return value;
  }

  private static LanePlan plan(LaneAdd asked, LanePlan before) {
    return new LanePlan(
        Optional.ofNullable(asked.networks()).orElse(before.networks()),
        Optional.ofNullable(asked.storages()).orElse(before.storages()),
        Optional.ofNullable(asked.zone()).orElse(before.zone()),
        Optional.ofNullable(asked.keepAddresses()).orElse(before.keepAddresses()));
  }

  /** Replaces a lane's decisions if nobody has changed them since {@code revision}. */
  public LaneView edit(String ref, LaneAdd asked, Optional<Long> revision) {
    return db.tx(
        s -> {
          LaneEntity lane = find(s, ref);
          // Of two at once the second waits here, and sees what the first changed.
          s.refresh(lane, LockMode.PESSIMISTIC_WRITE);
          unchanged(lane, revision);
          lane.plan = Json.text(plan(asked, Json.read(lane.plan, LanePlan.class)));
          tell(s, lane, "changed");
          s.flush();
          return view(s, lane);
        });
  }

  private static void unchanged(LaneEntity lane, Optional<Long> revision) {
    if (revision.isPresent() && revision.get() != lane.version) {
      throw new ProblemException(
          412,
          "changed-meanwhile",
          "lane " + lane.name + " is at revision " + lane.version + ", not " + revision.get(),
          "read it again and repeat the change");
    }
  }

  /** What a lane decides: what it joins, and what holds for some machines only. */
  public List<RuleView> rules(String ref) {
    return db.tx(s -> RuleViews.of(s, find(s, ref)));
  }

  /** What is at both ends of a lane, and what of it is joined. */
  public List<ShoreView> shores(String ref) {
    return db.tx(s -> ShoreViews.of(s, find(s, ref)));
  }

  /** What can be decided on a lane, with what its target takes. */
  public List<SettingView> settings(String ref) {
    return db.tx(
        s -> Choices.of(new Inventories(s).maybe(s.find(SiteEntity.class, find(s, ref).toSiteId))));
  }

  /** Makes decisions, or takes them back, all or none, if nobody has since {@code revision}. */
  public LaneView decide(String ref, RuleChanges asked, Optional<Long> revision) {
    return decide(
        ref,
        asked,
        revision,
        (i, wrong) -> {
          throw wrong;
        });
  }

  /**
   * The same for whoever wants to hear of all that can't be decided, and then undoes the rest.
   *
   * @param refused hears of a change, by its place in the list, and why not
   */
  public LaneView decide(
      String ref,
      RuleChanges asked,
      Optional<Long> revision,
      BiConsumer<Integer, ProblemException> refused) {
    if (asked.changes() == null || asked.changes().isEmpty()) {
      throw ProblemException.invalid("changes-missing", "nothing is to be decided", "give a rule");
    }
    if (asked.changes().size() > MOST_CHANGES) {
      throw ProblemException.invalid(
          "changes-too-many",
          asked.changes().size()
              + " decisions at once, and at most "
              + MOST_CHANGES
              + " are allowed",
          "make them in parts");
    }
    return db.tx(
        s -> {
          LaneEntity lane = find(s, ref);
          s.refresh(lane, LockMode.PESSIMISTIC_WRITE);
          unchanged(lane, revision);
          SiteEntity to = s.find(SiteEntity.class, lane.toSiteId);
          Inventories shores = new Inventories(s);
          Decisions decisions =
              new Decisions(
                  s,
                  lane,
                  to.name,
                  shores.maybe(s.find(SiteEntity.class, lane.fromSiteId)),
                  shores.maybe(to));
          LanePlan plan = Json.read(lane.plan, LanePlan.class);
          decisions.expect(asked.changes());
          List<Rule> made = new ArrayList<>();
          for (int i = 0; i < asked.changes().size(); i++) {
            RuleChange change = asked.changes().get(i);
            if (change == null) {
              throw ProblemException.invalid("rule-missing", "a rule is null", "leave it out");
            }
            Rule rule;
            try {
              rule = decisions.read(change);
            } catch (ProblemException e) {
              refused.accept(i, e);
              continue;
            }
            Optional<LanePlan> changed = Decisions.document(plan, rule);
            if (changed.isPresent() || rule.value().isEmpty()) {
              // What is taken back may have been made just before.
              LaneRuleStore.put(s, lane.id, made);
              made.clear();
              boolean dropped = LaneRuleStore.drop(s, lane.id, rule);
              if (rule.value().isEmpty() && !dropped && changed.orElse(plan).equals(plan)) {
                throw ProblemException.invalid(
                    "rule-not-set",
                    rule.setting().word() + " is not set for " + rule.scope().said() + " itself",
                    Remedy.of("see what is set", Action.LANE_RULES, lane.name));
              }
            } else {
              made.add(rule);
            }
            plan = changed.orElse(plan);
          }
          LaneRuleStore.put(s, lane.id, made);
          lane.plan = Json.text(plan);
          // A row that changes is a change of the lane for whoever read it before.
          s.lock(lane, LockMode.PESSIMISTIC_FORCE_INCREMENT);
          tell(s, lane, "changed");
          s.flush();
          return view(s, lane);
        });
  }

  public void remove(String ref) {
    db.run(
        s -> {
          LaneEntity lane = find(s, ref);
          s.remove(lane);
          try {
            s.flush();
          } catch (ConstraintViolationException e) {
            throw ProblemException.conflict(
                "lane-in-use", "lane " + lane.name + " is used by a wave", "remove the wave first");
          }
          tell(s, lane, "removed");
        });
  }

  @Override
  public void mayGo(Session s, SiteEntity site) {
    Db.first(s, LaneEntity.class, "from LaneEntity where fromSiteId = ?1 or toSiteId = ?1", site.id)
        .ifPresent(
            lane -> {
              throw ProblemException.conflict(
                  "site-in-use",
                  "site " + site.name + " is an end of lane " + lane.name,
                  Remedy.of("remove the lane first", Action.LANE_REMOVE, lane.name));
            });
  }

  public List<LaneView> list() {
    return db.tx(
        s -> {
          Inventories shores = new Inventories(s);
          return Db.list(s, LaneEntity.class, "from LaneEntity order by name").stream()
              .map(l -> view(s, shores, l))
              .toList();
        });
  }

  /**
   * Joins for what of a lane's source is joined to nothing.
   *
   * @throws ProblemException if one of its ends was not scanned yet
   */
  public List<SuggestionView> suggestions(String ref) {
    return db.tx(
        s -> {
          LaneEntity lane = find(s, ref);
          SiteEntity from = s.find(SiteEntity.class, lane.fromSiteId);
          SiteEntity to = s.find(SiteEntity.class, lane.toSiteId);
          Inventories shores = new Inventories(s);
          Inventory source = shores.of(from);
          Inventory target = shores.of(to);
          Map<String, List<String>> own = addresses(shores, from, source);
          Map<String, List<String>> taken = addresses(shores, to, target);
          return Suggestions.of(
                  Json.read(lane.plan, LanePlan.class),
                  source,
                  target,
                  own,
                  taken,
                  loads(s, from, DiskUses.of(s, from.id, to.id)),
                  traffic(s, own, taken))
              .stream()
              .map(x -> view(x, source, target))
              .toList();
        });
  }

  static Map<String, List<String>> addresses(Inventories shores, SiteEntity site, Inventory of) {
    return shores.taken(site, of.networks().stream().map(Inventory.Network::id).toList()).stream()
        .collect(
            Collectors.groupingBy(
                Inventory.Nic::network,
                Collectors.mapping(Inventory.Nic::address, Collectors.toList())));
  }

  /** What networks of the source exchange with each other, and with those of the target. */
  private static List<Suggestions.Traffic> traffic(
      Session s, Map<String, List<String>> own, Map<String, List<String>> there) {
    return NetworkTraffic.of(s, own, there).stream()
        .map(x -> new Suggestions.Traffic(x.group(), x.other(), !x.among(), x.peers(), x.bytes()))
        .toList();
  }

  /**
   * What is on each storage of a site.
   *
   * @param uses what was measured of their disks
   */
  static Map<String, Suggestions.Load> loads(
      Session s, SiteEntity site, Map<String, Suggestions.Use> uses) {
    Map<String, Suggestions.Load> loads = new HashMap<>();
    s.createNativeQuery(
            "select d->>'storage', count(*), max(cast(d->>'bytes' as bigint)) from machine m"
                + " cross join lateral jsonb_array_elements(m.facts->'disks') d"
                + " where m.site_id = :site and m.vanished_at is null group by 1",
            Object[].class)
        .setParameter("site", site.id)
        .getResultList()
        .forEach(
            r ->
                loads.put(
                    (String) r[0],
                    new Suggestions.Load(
                        ((Number) r[1]).longValue(),
                        ((Number) r[2]).longValue(),
                        uses.getOrDefault((String) r[0], Suggestions.Use.NONE))));
    return loads;
  }

  private static SuggestionView view(Suggestions.Suggestion x, Inventory source, Inventory target) {
    boolean network = x.kind() == Suggestions.Kind.NETWORK;
    return new SuggestionView(
        x.kind().word(),
        x.from(),
        network ? name(source, x.from()) : storageName(source, x.from()),
        x.to(),
        network ? name(target, x.to()) : storageName(target, x.to()),
        x.clear(),
        x.reasons(),
        x.others());
  }

  private static String name(Inventory of, String id) {
    return of.network(id).map(Inventory.Network::name).orElse("");
  }

  private static String storageName(Inventory of, String id) {
    return of.storage(id).map(Inventory.Storage::name).orElse("");
  }

  public LaneView view(String ref) {
    return db.tx(s -> view(s, find(s, ref)));
  }

  private static LaneView view(Session s, LaneEntity lane) {
    return view(s, new Inventories(s), lane);
  }

  private static LaneView view(Session s, Inventories shores, LaneEntity lane) {
    LanePlan plan = Json.read(lane.plan, LanePlan.class);
    SiteEntity from = s.find(SiteEntity.class, lane.fromSiteId);
    SiteEntity to = s.find(SiteEntity.class, lane.toSiteId);
    LanePlan.Reverse reverse = plan.reverse();
    return new LaneView(
        lane.id,
        lane.name,
        from.name,
        to.name,
        plan.networks(),
        plan.storages(),
        reverse.networks(),
        reverse.storages(),
        plan.zone(),
        plan.keepAddresses(),
        lane.version,
        Sites.views(
            Stream.of(
                    Sites.found(from),
                    Sites.found(to),
                    findings(
                        shores, lane, new Rules(plan, LaneRuleStore.joins(s, lane.id)), from, to),
                    Links.findings(s, lane))
                .flatMap(List::stream)
                .toList()));
  }

  /** What is not joined, or joined to something that does not exist. */
  private static List<Finding> findings(
      Inventories shores, LaneEntity lane, Rules rules, SiteEntity from, SiteEntity to) {
    Optional<Inventory> source = shores.maybe(from);
    Optional<Inventory> target = shores.maybe(to);
    return source.isEmpty() || target.isEmpty()
        ? List.of()
        : new Joins(rules, lane.name, source.get(), target.get(), to.name).findings();
  }
}
