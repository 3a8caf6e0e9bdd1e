package bargelane.service.lane;

import bargelane.api.RuleView;
import bargelane.core.lane.AddressRule;
import bargelane.core.lane.LanePlan;
import bargelane.core.lane.Rule;
import bargelane.core.lane.RuleScope;
import bargelane.core.lane.Setting;
import bargelane.core.site.Inventory;
import bargelane.service.platform.Json;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import org.hibernate.Session;

/** All that a lane decides, for people: its joins and its rules in one list. */
final class RuleViews {

  private RuleViews() {}

  /** The least specific first, as they are layered. */
  static List<RuleView> of(Session s, LaneEntity lane) {
    LanePlan plan = Json.read(lane.plan, LanePlan.class);
    List<Rule> rows = LaneRuleStore.all(s, lane.id);
    List<Rule> all = new ArrayList<>(rows);
    if (rows.stream()
        .noneMatch(r -> r.scope() == RuleScope.LANE && r.setting() == Setting.ADDRESS)) {
      all.add(
          new Rule(
              RuleScope.LANE, "", Setting.ADDRESS, AddressRule.usual(plan.keepAddresses()).text()));
    }
    if (!plan.zone().isEmpty()) {
      all.add(new Rule(RuleScope.LANE, "", Setting.ZONE, plan.zone()));
    }
    new TreeMap<>(plan.networks())
        .forEach((n, to) -> all.add(new Rule(RuleScope.NETWORK, n, Setting.SUBNET, to)));
    new TreeMap<>(plan.storages())
        .forEach((x, to) -> all.add(new Rule(RuleScope.STORAGE, x, Setting.CLASS, to)));
    Map<String, String> names = names(s, lane);
    Optional<Inventory> source =
        new Inventories(s).maybe(s.find(SiteEntity.class, lane.fromSiteId));
    return all.stream()
        .map(r -> view(r, name(r, names, source)))
        .sorted(
            Comparator.comparing((RuleView r) -> scope(r.scope()).ordinal())
                .reversed()
                .thenComparing(RuleView::name)
                .thenComparing(RuleView::part)
                .thenComparing(RuleView::setting))
        .toList();
  }

  private static RuleScope scope(String word) {
    return bargelane.core.word.Worded.of(RuleScope.class, word);
  }

  private static RuleView view(Rule r, String name) {
    return new RuleView(r.scope().word(), r.of(), name, r.part(), r.setting().word(), r.value());
  }

  private static String name(Rule r, Map<String, String> names, Optional<Inventory> source) {
    return switch (r.scope()) {
      case MACHINE, CARD, DISK, WAVE -> names.getOrDefault(r.of(), r.of());
      case NETWORK ->
          source.flatMap(i -> i.network(r.of())).map(Inventory.Network::name).orElse(r.of());
      case STORAGE ->
          source.flatMap(i -> i.storage(r.of())).map(Inventory.Storage::name).orElse(r.of());
      default -> r.of();
    };
  }

  private static Map<String, String> names(Session s, LaneEntity lane) {
    Map<String, String> names = new HashMap<>();
    s.createNativeQuery(
            "select m.id, m.name from machine m where m.id in"
                + " (select machine_id from lane_rule where lane_id = :lane)"
                + " union all select w.id, w.name from wave w where w.id in"
                + " (select wave_id from lane_rule where lane_id = :lane)",
            Object[].class)
        .setParameter("lane", lane.id)
        .getResultList()
        .forEach(r -> names.put((String) r[0], (String) r[1]));
    return names;
  }
}
