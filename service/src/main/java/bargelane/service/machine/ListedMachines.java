package bargelane.service.machine;

import bargelane.core.finding.Action;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.MachineDiff;
import bargelane.core.site.SiteKind;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import java.time.Instant;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.hibernate.Session;

/** Machines that a list tells of. */
public final class ListedMachines {

  /** Machines between two clearings of the session: it looks at all it holds at each flush. */
  private static final int BLOCK = 20;

  private ListedMachines() {}

  /** A site of kind {@code csv}; refuses another. */
  public static SiteEntity site(Session s, String site) {
    SiteEntity found = Sites.find(s, site);
    if (found.kind != SiteKind.CSV) {
      throw ProblemException.conflict(
          "site-is-no-list",
          "site " + found.name + " is of kind " + found.kind + " and no list",
          Action.SITE_ADD.of(SiteKind.CSV.word()));
    }
    return found;
  }

  /** What became of a list. */
  public record Taken(int added, int changed, int vanished) {}

  /**
   * The machine that a list names.
   *
   * @param id none if there is no such machine, or several
   * @param why what is wrong where there is no id
   */
  public record Named(Optional<String> id, String why) {}

  /** Looks up the one machine of a name or an id. */
  public static Named named(Session s, String ref) {
    List<String> found =
        Db.query(
                s,
                String.class,
                "select id from MachineEntity where (name = ?1 or id = ?1) and vanishedAt is null"
                    + " order by id",
                ref)
            .setMaxResults(3)
            .getResultList();
    return switch (found.size()) {
      case 0 -> new Named(Optional.empty(), "no machine is called '" + ref + "'");
      case 1 -> new Named(Optional.of(found.get(0)), "");
      default ->
          new Named(
              Optional.empty(),
              (found.size() == 2 ? "two machines are" : "several machines are")
                  + " called '"
                  + ref
                  + "': give an id, such as "
                  + found.get(0));
    };
  }

  /**
   * Takes a list over, in the caller's transaction.
   *
   * @param machines by what the list knows them by
   * @param whole whether those that are not in it are told of no more
   * @param store whether to store it, or only to say what it would change
   */
  public static Taken take(
      Session s,
      SiteEntity site,
      Map<String, MachineFacts> machines,
      boolean whole,
      boolean store,
      Instant now) {
    Map<String, String> known = new HashMap<>();
    for (Object[] row :
        Db.list(
            s,
            Object[].class,
            "select sourceKey, facts from SightingEntity where siteId = ?1",
            site.id)) {
      known.put((String) row[0], (String) row[1]);
    }
    int added = 0;
    int changed = 0;
    Set<String> different = new HashSet<>();
    for (Map.Entry<String, MachineFacts> e : machines.entrySet()) {
      String former = known.get(e.getKey());
      if (former == null) {
        added++;
        different.add(e.getKey());
      } else if (!Json.read(former, MachineFacts.class).equals(e.getValue())) {
        changed +=
            MachineDiff.of(Json.read(former, MachineFacts.class), e.getValue()).isEmpty() ? 0 : 1;
        different.add(e.getKey());
      }
    }
    Set<String> gone = new HashSet<>(known.keySet());
    gone.removeAll(machines.keySet());
    if (store) {
      store(s, site, machines, different, whole ? gone : Set.of(), now);
    }
    return new Taken(added, changed, whole ? gone.size() : 0);
  }

  private static void store(
      Session s,
      SiteEntity site,
      Map<String, MachineFacts> machines,
      Set<String> different,
      Set<String> gone,
      Instant now) {
    site.scannedAt = now;
    s.flush();
    MachineBook book = new MachineBook(s, site, now);
    Recognition recognition = new Recognition(s);
    int held = 0;
    for (String key : machines.keySet()) {
      if (different.contains(key)) {
        Sightings.record(
            s, () -> recognition, book, site, key, machines.get(key), Optional.empty(), now);
        if (++held % BLOCK == 0) {
          book.close();
          s.flush();
          s.clear();
        }
      }
    }
    for (String key : gone) {
      Sightings.forget(s, book, site, key);
    }
    book.close();
    s.flush();
    LabelRules.apply(s);
    // What is told again as it was is of now, too.
    Db.change(s, "update SightingEntity set seenAt = ?1 where siteId = ?2", now, site.id);
  }
}
