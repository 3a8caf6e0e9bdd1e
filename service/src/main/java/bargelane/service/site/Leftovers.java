package bargelane.service.site;

import bargelane.api.LeftoverRemoval;
import bargelane.api.LeftoverRemove;
import bargelane.api.LeftoverView;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Target.Owned;
import bargelane.text.Counts;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.stream.Collectors;

/**
 * What this service or another one made at a site, and the removal of what nobody keeps: things
 * whose owner is lost, or that a restored backup knows nothing of. Nothing is removed that is
 * recorded here, and no machine that runs.
 */
public final class Leftovers {

  /** What the tags of all services begin with. */
  private static final String TAG = "bargelane/";

  private final Db db;
  private final Sites sites;
  private final Ledger ledger;
  private final Events events;

  public Leftovers(Db db, Sites sites, Ledger ledger, Events events) {
    this.db = db;
    this.sites = sites;
    this.ledger = ledger;
    this.events = events;
  }

  /** What is there, as the site tells it, and whether it is recorded here. */
  public List<LeftoverView> list(String ref) {
    SiteEntity site = db.tx(s -> Sites.find(s, ref));
    return sites.driver(site.id).target().owned(TAG).stream()
        .map(
            o ->
                new LeftoverView(
                    site.name,
                    o.kind(),
                    o.name(),
                    o.owner(),
                    ledger.recorded(site.id, o.kind(), o.name())))
        .toList();
  }

  /**
   * Removes things that are not recorded: those that are named, or all of one owner. What is asked
   * for is refused as a whole if one of them must stay; what the site can't remove is told.
   */
  public List<LeftoverRemoval> remove(String ref, LeftoverRemove asked, String by) {
    SiteEntity site = db.tx(s -> Sites.find(s, ref));
    if (!site.name.equals(asked.confirm())) {
      throw ProblemException.invalid(
          "not-confirmed",
          "to remove things at " + site.name + " is not confirmed",
          "type the site's name: --confirm " + site.name);
    }
    SiteDriver driver = sites.driver(site.id);
    List<Owned> chosen = chosen(driver.target().owned(TAG), asked);
    Set<String> running =
        driver.inventory().machines().stream()
            .filter(MachineFacts::on)
            .map(MachineFacts::platformId)
            .collect(Collectors.toSet());
    for (Owned o : chosen) {
      if (ledger.recorded(site.id, o.kind(), o.name())) {
        throw ProblemException.conflict(
            "leftover-recorded",
            o.kind() + " " + o.name() + " is kept by this service",
            Remedy.of("settle or remove its wave instead", Action.WAVE_LIST));
      }
      if (o.kind().equals("machine") && running.contains(o.id())) {
        throw ProblemException.conflict(
            "leftover-runs",
            "machine " + o.name() + " runs at " + site.name,
            "switch it off there first, if nobody needs it");
      }
    }
    List<LeftoverRemoval> removals = new ArrayList<>();
    chosen.stream()
        .sorted(Comparator.comparingInt(o -> Ledger.ORDER.indexOf(o.kind())))
        .forEach(o -> removals.add(remove(site, o)));
    long gone = removals.stream().filter(r -> r.problem().isEmpty()).count();
    db.run(
        s ->
            events.tell(
                s,
                "site",
                site.id,
                null,
                by + " removed " + Counts.of((int) gone, "leftover") + " from " + site.name,
                null));
    return removals;
  }

  private static List<Owned> chosen(List<Owned> there, LeftoverRemove asked) {
    List<String> names = asked.names() == null ? List.of() : asked.names();
    String owner = asked.owner() == null ? "" : asked.owner();
    if (names.isEmpty() == owner.isEmpty()) {
      throw ProblemException.invalid(
          "leftover-missing",
          "things are named, or an owner whose things are meant",
          "give names, or one owner, as the list of leftovers shows them");
    }
    Set<String> left = new HashSet<>(names);
    List<Owned> chosen =
        there.stream()
            .filter(o -> Ledger.ORDER.contains(o.kind()))
            .filter(o -> o.owner().equals(owner) || left.contains(o.name()))
            .toList();
    chosen.forEach(o -> left.remove(o.name()));
    if (!left.isEmpty() || chosen.isEmpty()) {
      throw ProblemException.missing("leftover", left.isEmpty() ? owner : left.iterator().next());
    }
    return chosen;
  }

  private LeftoverRemoval remove(SiteEntity site, Owned o) {
    SiteObjectEntity thing = new SiteObjectEntity();
    thing.siteId = site.id;
    thing.kind = o.kind();
    thing.name = o.name();
    thing.owner = o.owner();
    String problem = "";
    try {
      ledger.removeAtSite(thing);
    } catch (SiteException e) {
      problem = String.valueOf(e.getMessage());
    }
    return new LeftoverRemoval(o.kind(), o.name(), o.owner(), problem);
  }
}
