package bargelane.service.machine;

import bargelane.api.CsvImport;
import bargelane.api.ImportResult;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.event.Events;
import bargelane.service.platform.CsvTable;
import bargelane.service.platform.Db;
import bargelane.service.site.SiteEntity;
import bargelane.text.Counts;
import java.time.Clock;
import java.util.Map;

/**
 * Lists of machines that people give: each is imported whole, in one transaction, or not at all.
 */
public final class MachineLists {

  private final Db db;
  private final Events events;
  private final Clock clock;

  public MachineLists(Db db, Events events, Clock clock) {
    this.db = db;
    this.events = events;
    this.clock = clock;
  }

  /** Machines of a site. */
  public ImportResult machines(String site, CsvImport asked, String by) {
    MachineList list = MachineList.read(CsvTable.text(asked));
    Map<String, MachineFacts> machines = list.machines();
    boolean store = list.table().sound() && !asked.dryRun();
    return db.tx(
        s -> {
          if (store) {
            LabelRules.lock(s);
          }
          SiteEntity entity = ListedMachines.site(s, site);
          ListedMachines.Taken taken =
              ListedMachines.take(s, entity, machines, asked.whole(), store, clock.instant());
          if (store && taken.added() + taken.changed() + taken.vanished() > 0) {
            events.tell(
                s,
                "site",
                entity.id,
                null,
                by
                    + " gave a list of "
                    + entity.name
                    + ": "
                    + Counts.of(taken.added(), "machine is new", "machines are new")
                    + ", "
                    + taken.changed()
                    + " changed, "
                    + taken.vanished()
                    + " are gone",
                null);
          }
          return list.table().result(taken.added(), taken.changed(), taken.vanished(), store);
        });
  }
}
