package bargelane.service.assess;

import bargelane.api.AssessedMachine;
import bargelane.api.AssessmentAdd;
import bargelane.api.AssessmentView;
import bargelane.api.DiskCostView;
import bargelane.core.assess.Sizing;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.db.Db;
import bargelane.service.db.Ids;
import bargelane.service.db.Json;
import bargelane.service.http.ProblemException;
import bargelane.service.site.MachineEntity;
import bargelane.service.site.Machines;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import java.math.BigDecimal;
import java.time.Clock;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.hibernate.Session;

/**
 * Assessments on the configured basis: the cheapest fitting size, a storage class for each disk,
 * the month's cost.
 */
public final class Assessments {

  private final Db db;
  private final Clock clock;

  public Assessments(Db db, Clock clock) {
    this.db = db;
    this.clock = clock;
  }

  public AssessmentView add(AssessmentAdd asked) {
    if (asked.machines() == null || asked.machines().isEmpty()) {
      throw ProblemException.invalid(
          "machines-missing",
          "an assessment needs machines",
          "name at least one: bargelane machine list");
    }
    return db.tx(
        s -> {
          SiteEntity target = Sites.find(s, asked.target());
          Inventory offered = Sites.inventory(target);
          List<AssessedMachine> machines = new ArrayList<>();
          BigDecimal total = BigDecimal.ZERO;
          String currency = offered.sizes().isEmpty() ? "" : offered.sizes().get(0).currency();
          for (String ref : asked.machines()) {
            AssessedMachine m = assess(s, Machines.find(s, ref), offered);
            machines.add(m);
            total = total.add(m.monthly());
          }
          AssessmentEntity entity = new AssessmentEntity();
          entity.id = Ids.next("as");
          entity.targetSiteId = target.id;
          entity.at = clock.instant();
          AssessmentView view =
              new AssessmentView(
                  entity.id, target.name, "configured", entity.at, machines, total, currency);
          entity.body = Json.text(view);
          s.persist(entity);
          return view;
        });
  }

  private static AssessedMachine assess(Session s, MachineEntity machine, Inventory offered) {
    MachineFacts facts = Json.read(machine.facts, MachineFacts.class);
    Inventory source = Sites.inventory(s.find(SiteEntity.class, machine.siteId));
    Optional<Inventory.Size> size = Sizing.cheapest(facts, offered.sizes());
    List<Inventory.Storage> storages = new ArrayList<>();
    facts
        .disks()
        .forEach(
            d ->
                Sizing.storageFor(source.storage(d.storage()), offered.storages())
                    .ifPresent(storages::add));
    if (size.isEmpty() || storages.size() < facts.disks().size()) {
      Finding none =
          new Finding(
              Code.NO_SIZE_FITS,
              facts.name(),
              "no offered size has "
                  + facts.cpus()
                  + " processors and "
                  + facts.memoryMib()
                  + " MiB",
              "ask the target's owner for a larger size, or choose one by hand",
              Who.SITE_OWNER);
      return new AssessedMachine(
          facts.name(),
          facts.cpus(),
          facts.memoryMib(),
          "",
          0,
          0,
          BigDecimal.ZERO,
          List.of(),
          BigDecimal.ZERO,
          "",
          "",
          Sites.views(List.of(none)));
    }
    Sizing.Choice c = Sizing.cost("configured", facts, size.get(), storages);
    String derivation =
        "of "
            + offered.sizes().size()
            + " sizes the cheapest with at least "
            + facts.cpus()
            + " processors and "
            + facts.memoryMib()
            + " MiB is "
            + c.size()
            + " at "
            + size.get().pricePerHour()
            + " an hour, times "
            + Sizing.HOURS_A_MONTH
            + " hours; disks at their class's price a GiB and month";
    return new AssessedMachine(
        facts.name(),
        facts.cpus(),
        facts.memoryMib(),
        c.size(),
        c.cpus(),
        c.memoryMib(),
        c.computeMonthly(),
        c.disks().stream()
            .map(d -> new DiskCostView(d.volume(), d.bytes(), d.storage(), d.monthly()))
            .toList(),
        c.monthly(),
        c.currency(),
        derivation,
        List.of());
  }

  public AssessmentView view(String id) {
    return db.tx(
        s ->
            Json.read(
                Optional.ofNullable(s.find(AssessmentEntity.class, id))
                    .orElseThrow(() -> ProblemException.missing("assessment", id))
                    .body,
                AssessmentView.class));
  }

  public List<AssessmentView> list() {
    return db.tx(
        s ->
            Db.list(s, AssessmentEntity.class, "from AssessmentEntity order by at desc").stream()
                .map(a -> Json.read(a.body, AssessmentView.class))
                .toList());
  }
}
