package bargelane.service.machine;

import bargelane.api.DiskView;
import bargelane.api.FactView;
import bargelane.api.GuestView;
import bargelane.api.LabelEdit;
import bargelane.api.LabelResult;
import bargelane.api.MachineView;
import bargelane.api.NicView;
import bargelane.api.Page;
import bargelane.api.SurveyView;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.guest.Survey;
import bargelane.core.guest.SurveyFacts;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.site.SiteEntity;
import bargelane.text.Counts;
import com.fasterxml.jackson.core.type.TypeReference;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import org.hibernate.Session;

/** The inventory's machines. */
public final class Machines {

  /** Deletes what was found different long ago; see {@link bargelane.service.platform.Upkeep}. */
  public static final String PAST = "delete from machine_change where at < ?1";

  private static final Map<String, String> SORTS =
      Map.of(
          "name", "m.name",
          "os", "m.os",
          "cpus", "m.cpus",
          "memory", "m.memoryBytes",
          "disk", "m.diskBytes",
          "firstSeen", "m.firstSeen");
  private static final int LONGEST_LABEL = 255;
  private static final Pattern LABEL_NAME = Pattern.compile("[A-Za-z0-9][A-Za-z0-9._/-]{0,62}");

  private final Db db;
  private final Events events;

  public Machines(Db db, Events events) {
    this.db = db;
    this.events = events;
  }

  /** A machine by id, or by a name that only one has, or one alone that has not vanished. */
  public static MachineEntity find(Session s, String ref) {
    List<MachineEntity> found =
        Db.list(s, MachineEntity.class, "from MachineEntity where id = ?1 or name = ?1", ref);
    List<MachineEntity> there = found.stream().filter(m -> m.vanishedAt == null).toList();
    if (there.size() == 1 && found.stream().noneMatch(m -> m.id.equals(ref))) {
      return there.get(0);
    }
    if (found.isEmpty()) {
      throw ProblemException.missing("machine", ref);
    }
    if (found.size() > 1) {
      throw ProblemException.conflict(
          "machine-ambiguous",
          found.size() + " machines are named '" + ref + "'",
          Remedy.of("use its id", Action.MACHINE_LIST));
    }
    return found.get(0);
  }

  /**
   * A machine of a site by its platform's identity, or one as it was told.
   *
   * @param labels by hand, of one that is not known
   */
  public static MachineEntity known(
      Session s, SiteEntity site, MachineFacts told, Map<String, String> labels, Instant now) {
    return Db.first(
            s,
            MachineEntity.class,
            "from MachineEntity where siteId = ?1 and platformId = ?2",
            site.id,
            told.platformId())
        .orElseGet(
            () -> {
              MachineEntity machine = new MachineEntity();
              machine.id = Ids.next("m");
              machine.siteId = site.id;
              machine.platformId = told.platformId();
              machine.name = told.name();
              machine.facts = Json.text(told);
              machine.ownLabels = Json.text(labels);
              machine.firstSeen = now;
              machine.lastSeen = now;
              s.persist(machine);
              s.flush();
              return machine;
            });
  }

  /**
   * One page of the machines that a filter chooses.
   *
   * @param filter as docs/filters.md describes; empty for all
   * @param among only of those that this filter chooses; empty for all
   * @param sort a field, with a dash before it for descending
   */
  public Page<MachineView> list(String filter, String among, String sort, int page, int size) {
    String field = sort.startsWith("-") ? sort.substring(1) : sort;
    if (!SORTS.containsKey(field)) {
      throw ProblemException.invalid(
          "sort-unknown",
          "machines can't be sorted by '" + field + "'",
          "sort by one of " + SORTS.keySet().stream().sorted().toList());
    }
    checkPage(page, size);
    MachineFilter chosen = MachineFilter.ofBoth(filter, among);
    String where = "from MachineEntity m where " + chosen.condition();
    return db.tx(
        s -> {
          long total =
              Db.first(s, Long.class, "select count(*) " + where, chosen.parameters()).orElse(0L);
          // The page is found by its ids alone, so that no facts are sorted or skipped over.
          List<String> ids =
              Db.query(
                      s,
                      String.class,
                      "select m.id "
                          + where
                          + " order by "
                          + SORTS.get(field)
                          + (sort.startsWith("-") ? " desc, m.id desc" : ", m.id"),
                      chosen.parameters())
                  .setFirstResult(page * size)
                  .setMaxResults(size)
                  .getResultList();
          Map<String, MachineEntity> rows =
              Db.list(s, MachineEntity.class, "from MachineEntity where id in ?1", ids).stream()
                  .collect(Collectors.toMap(m -> m.id, m -> m));
          return new Page<>(views(s, ids.stream().map(rows::get).toList()), total, page, size);
        });
  }

  /** Refuses a page that can't be. */
  public static void checkPage(int page, int size) {
    if (page < 0 || size < 1 || size > 500 || (long) page * size > Integer.MAX_VALUE) {
      throw ProblemException.invalid(
          "page-malformed",
          "page " + page + " of size " + size,
          "pages begin at 0, sizes go from 1 to 500");
    }
  }

  /** Whether a filter chooses a machine that is there. */
  public static boolean within(Session s, String ref, String filter) {
    MachineFilter chosen = MachineFilter.of(filter);
    List<Object> parameters = new ArrayList<>(List.of(chosen.parameters()));
    parameters.add(find(s, ref).id);
    return Db.first(
            s,
            String.class,
            "select m.id from MachineEntity m where m.id = ?"
                + parameters.size()
                + " and "
                + chosen.condition(),
            parameters.toArray())
        .isPresent();
  }

  /** How many machines that are there a filter chooses. */
  public static int count(Session s, String filter) {
    MachineFilter chosen = MachineFilter.of(filter);
    return Db.first(
            s,
            Long.class,
            "select count(*) from MachineEntity m where m.vanishedAt is null and "
                + chosen.condition(),
            chosen.parameters())
        .orElse(0L)
        .intValue();
  }

  /** The ids of the machines that a filter chooses. */
  public static List<String> ids(Session s, String filter) {
    MachineFilter chosen = MachineFilter.of(filter);
    return Db.list(
        s,
        String.class,
        "select m.id from MachineEntity m where " + chosen.condition(),
        chosen.parameters());
  }

  /**
   * Gives labels to machines by hand and takes such labels away. What the platform tells stays
   * known and comes back when the label by hand is taken away.
   */
  public LabelResult label(LabelEdit edit, String by) {
    Map<String, String> set = edit.set() == null ? Map.of() : edit.set();
    List<String> remove = edit.remove() == null ? List.of() : edit.remove();
    List<String> named = edit.machines() == null ? List.of() : edit.machines();
    String filter = edit.filter() == null ? "" : edit.filter();
    if (named.isEmpty() == filter.isBlank()) {
      throw ProblemException.invalid(
          "choice-malformed",
          named.isEmpty() ? "no machines are chosen" : "machines are named and filtered at once",
          "name machines, or give a filter");
    }
    set.forEach(Machines::checkLabel);
    if (set.isEmpty() && remove.isEmpty()) {
      throw ProblemException.invalid(
          "labels-missing", "no label is given or taken away", "give one, as app=lending");
    }
    return db.tx(
        s -> {
          LabelRules.lock(s);
          List<MachineEntity> chosen;
          if (named.isEmpty()) {
            MachineFilter of = MachineFilter.of(filter);
            chosen =
                Db.list(
                    s,
                    MachineEntity.class,
                    "from MachineEntity m where " + of.condition(),
                    of.parameters());
          } else {
            chosen = named.stream().map(ref -> find(s, ref)).toList();
          }
          int changed = 0;
          for (MachineEntity m : chosen) {
            Map<String, String> own = labels(m.ownLabels);
            Map<String, String> now = new TreeMap<>(own);
            now.putAll(set);
            now.keySet().removeAll(remove);
            if (!now.equals(own)) {
              m.ownLabels = Json.text(now);
              changed++;
            }
          }
          if (changed > 0) {
            LabelRules.apply(s);
            events.tell(
                s, "machine", "", "", by + " labelled " + Counts.of(changed, "machine"), null);
          }
          return new LabelResult(chosen.size(), changed);
        });
  }

  static void checkLabel(String name, String value) {
    if (!LABEL_NAME.matcher(name).matches()) {
      throw ProblemException.invalid(
          "label-malformed",
          "'" + name + "' can't be the name of a label",
          "use up to 63 letters, digits and . _ / - and begin with a letter or digit");
    }
    if (value == null
        || value.isEmpty()
        || value.length() > LONGEST_LABEL
        || value.chars().anyMatch(Character::isISOControl)) {
      throw ProblemException.invalid(
          "label-malformed",
          "the value of label '" + name + "' is empty, too long or has control characters",
          "use 1 to " + LONGEST_LABEL + " characters");
    }
  }

  static Map<String, String> labels(String json) {
    return Json.read(json, new TypeReference<TreeMap<String, String>>() {});
  }

  public MachineView view(String ref) {
    return db.tx(s -> views(s, List.of(find(s, ref))).get(0));
  }

  private static List<MachineView> views(Session s, List<MachineEntity> machines) {
    Map<String, String> waves = new HashMap<>();
    for (Object[] row :
        Db.list(
            s,
            Object[].class,
            "select machineId, waveName from MachineWaveEntity where machineId in ?1",
            machines.stream().map(m -> m.id).toList())) {
      waves.put((String) row[0], (String) row[1]);
    }
    Map<String, List<Sources.Seen>> seen =
        Sources.seen(s, machines.stream().map(m -> m.id).toList());
    return machines.stream()
        .map(
            m ->
                view(
                    s,
                    m,
                    waves.getOrDefault(m.id, ""),
                    seen.getOrDefault(m.id, List.of()),
                    machines.size() == 1))
        .toList();
  }

  private static MachineView view(
      Session s, MachineEntity m, String wave, List<Sources.Seen> seen, boolean withMounts) {
    MachineFacts f = Json.read(m.facts, MachineFacts.class);
    Map<String, String> own = labels(m.ownLabels);
    Map<String, String> ruled = labels(m.ruleLabels);
    Map<String, String> labels = new TreeMap<>(f.labels());
    labels.putAll(ruled);
    labels.putAll(own);
    SiteEntity site = s.find(SiteEntity.class, m.siteId);
    return new MachineView(
        m.id,
        site.name,
        m.platformId,
        f.name(),
        f.cpus(),
        f.memoryMib(),
        f.os().isEmpty() ? f.guest().os() : f.os(),
        f.firmware(),
        f.on(),
        f.fenced(),
        disks(f, withMounts && !seen.isEmpty() ? Sources.sightings(s, m) : List.of()),
        f.nics().stream().map(n -> new NicView(n.network(), n.address(), n.mac())).toList(),
        guest(f.guest()),
        labels,
        own.keySet(),
        ruled.keySet().stream().filter(x -> !own.containsKey(x)).collect(Collectors.toSet()),
        Sources.views(s, site, seen),
        wave,
        m.firstSeen,
        m.vanishedAt == null ? Sources.lastSeen(site, seen) : m.lastSeen,
        m.vanishedAt);
  }

  /**
   * With where they are mounted, if the guest sees the same disks in the same order by their sizes.
   */
  private static List<DiskView> disks(MachineFacts f, List<SightingEntity> sightings) {
    List<List<String>> mounts =
        sightings.stream()
            .filter(g -> g.survey != null)
            .map(g -> Json.read(g.survey, Survey.class))
            .filter(
                x ->
                    SurveyFacts.disks(x).stream()
                        .map(Survey.Device::bytes)
                        .toList()
                        .equals(f.disks().stream().map(Inventory.Disk::bytes).toList()))
            .findFirst()
            .map(
                x ->
                    SurveyFacts.disks(x).stream()
                        .map(d -> List.copyOf(SurveyFacts.mountedFrom(x, d)))
                        .toList())
            .orElse(List.of());
    List<DiskView> views = new ArrayList<>();
    for (Inventory.Disk d : f.disks()) {
      views.add(
          new DiskView(
              d.volume(),
              d.bytes(),
              d.storage(),
              mounts.isEmpty() ? List.of() : mounts.get(views.size())));
    }
    return views;
  }

  /** What each source tells of a machine, fact by fact. */
  public List<FactView> facts(String ref) {
    return db.tx(
        s -> {
          MachineEntity m = find(s, ref);
          return Sources.facts(s, m);
        });
  }

  /** What was read from inside a machine, by whom and when; the newest first. */
  public List<SurveyView> surveys(String ref) {
    return db.tx(s -> Sources.surveys(s, find(s, ref)));
  }

  private static GuestView guest(GuestFacts g) {
    return g.readAt() == null
        ? null
        : new GuestView(
            g.hostname(),
            g.os(),
            g.kernel(),
            g.fileSystems().stream()
                .map(x -> new GuestView.MountView(x.mount(), x.type(), x.bytes(), x.used()))
                .toList(),
            g.cards().stream()
                .map(x -> new GuestView.CardView(x.name(), x.mac(), x.addresses()))
                .toList(),
            g.readAt());
  }
}
