package bargelane.service.plan;

import bargelane.api.CsvImport;
import bargelane.api.ImportResult;
import bargelane.api.RuleChange;
import bargelane.api.RuleChanges;
import bargelane.core.lane.AddressRule;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.lane.Preflight.Decided;
import bargelane.core.lane.RuleScope;
import bargelane.core.lane.Setting;
import bargelane.core.net.Address;
import bargelane.core.site.Inventory;
import bargelane.service.lane.Lanes;
import bargelane.service.platform.CsvTable;
import bargelane.service.platform.Db;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.hibernate.Session;

/**
 * The address plan of a lane as a list: what is different in it from what holds becomes a decision
 * for the card; what is the same is left to the rules that it comes from.
 */
public final class AddressLists {

  static final List<String> REQUIRED = List.of("machine", "card", "subnet", "address");
  static final List<String> OPTIONAL =
      List.of("id", "wave", "network", "former", "kept", "rule", "by");

  private final Db db;
  private final Lanes lanes;
  private final LanePlans plans;

  public AddressLists(Db db, Lanes lanes, LanePlans plans) {
    this.db = db;
    this.lanes = lanes;
    this.plans = plans;
  }

  /** Imports a plan, whole or not at all. */
  public ImportResult take(String lane, CsvImport asked) {
    CsvTable table = CsvTable.read(CsvTable.text(asked), REQUIRED, OPTIONAL);
    List<RuleChange> changes = new ArrayList<>();
    long revision =
        db.tx(
            s -> {
              LanePlans.Plan plan = plans.of(s, lane);
              read(table, plan, offered(s, lane), changes);
              return plan.lane().version;
            });
    boolean store = table.sound() && !asked.dryRun();
    if (store && !changes.isEmpty()) {
      lanes.decide(lane, new RuleChanges(changes), Optional.of(revision));
    }
    return table.result(0, changes.size(), store);
  }

  private static Inventory offered(Session s, String lane) {
    return new Inventories(s).of(s.find(SiteEntity.class, Lanes.find(s, lane).toSiteId));
  }

  private static void read(
      CsvTable table, LanePlans.Plan plan, Inventory target, List<RuleChange> changes) {
    Map<String, List<LanePlans.Placed>> byName = new HashMap<>();
    Map<String, LanePlans.Placed> byId = new HashMap<>();
    for (LanePlans.Placed p : plan.machines()) {
      byName.computeIfAbsent(p.result().machine().name(), n -> new ArrayList<>()).add(p);
      byId.put(p.result().of().id(), p);
    }
    Set<String> seen = new HashSet<>();
    for (CsvTable.Row row : table.rows()) {
      Optional<LanePlans.Placed> placed = machine(row, byName, byId);
      if (placed.isEmpty()) {
        continue;
      }
      int cards = placed.get().result().machine().nics().size();
      Optional<Integer> card =
          CsvTable.number(row.text("card")).map(Double::intValue).filter(c -> c < cards);
      if (card.isEmpty()) {
        row.wrong(
            "card",
            "'"
                + row.text("card")
                + "' is no card of "
                + row.text("machine")
                + ", which has "
                + cards
                + ", from 0");
        continue;
      }
      String id = placed.get().result().of().id();
      if (!seen.add(id + "/" + card.get())) {
        row.wrong("card", "is there twice");
        continue;
      }
      subnet(row, placed.get(), card.get(), target, changes);
      address(row, placed.get(), card.get(), changes);
    }
  }

  private static Optional<LanePlans.Placed> machine(
      CsvTable.Row row,
      Map<String, List<LanePlans.Placed>> byName,
      Map<String, LanePlans.Placed> byId) {
    String id = row.text("id");
    if (!id.isEmpty()) {
      if (!byId.containsKey(id)) {
        row.wrong("id", "'" + id + "' is no machine of this lane");
      }
      return Optional.ofNullable(byId.get(id));
    }
    List<LanePlans.Placed> named = byName.getOrDefault(row.text("machine"), List.of());
    if (named.size() != 1) {
      row.wrong(
          "machine",
          named.isEmpty()
              ? "'" + row.text("machine") + "' is no machine of this lane"
              : "is the name of " + named.size() + " machines: give the id in a column id");
      return Optional.empty();
    }
    return Optional.of(named.get(0));
  }

  /** A cell; the dash of a list that was written is no value. */
  private static String value(CsvTable.Row row, String column) {
    String text = row.text(column);
    return text.equals("-") ? "" : text;
  }

  private static void subnet(
      CsvTable.Row row,
      LanePlans.Placed placed,
      int card,
      Inventory target,
      List<RuleChange> changes) {
    String wanted = value(row, "subnet");
    PlacedNic now = placed.result().placement().nics().get(card);
    if (wanted.equals(now.network())) {
      return;
    }
    if (!wanted.isEmpty() && target.network(wanted).filter(n -> !n.isolated()).isEmpty()) {
      row.wrong("subnet", "'" + wanted + "' is no subnet of the target");
      return;
    }
    if (!wanted.isEmpty() || own(placed, Setting.SUBNET, card)) {
      changes.add(change(placed, card, Setting.SUBNET, wanted));
    }
  }

  private static void address(
      CsvTable.Row row, LanePlans.Placed placed, int card, List<RuleChange> changes) {
    String wanted = value(row, "address");
    PlacedNic now = placed.result().placement().nics().get(card);
    String same = Address.canonical(wanted).orElse(wanted);
    if (same.equals(Address.canonical(now.address()).orElse(now.address()))) {
      return;
    }
    if (!wanted.isEmpty() && AddressRule.read(wanted).isEmpty()) {
      row.wrong("address", "'" + wanted + "' is none of: " + AddressRule.WORDS);
      return;
    }
    if (!wanted.isEmpty() || own(placed, Setting.ADDRESS, card)) {
      changes.add(change(placed, card, Setting.ADDRESS, wanted));
    }
  }

  /** Whether what holds of a card was decided for it alone. */
  private static boolean own(LanePlans.Placed placed, Setting setting, int card) {
    return placed.result().decided().stream()
        .filter(d -> d.setting() == setting && d.part() == card)
        .map(Decided::origin)
        .anyMatch(RuleScope.CARD.said()::equals);
  }

  private static RuleChange change(
      LanePlans.Placed placed, int card, Setting setting, String value) {
    return new RuleChange(
        RuleScope.CARD.word(), placed.result().of().id(), card, setting.word(), value);
  }
}
