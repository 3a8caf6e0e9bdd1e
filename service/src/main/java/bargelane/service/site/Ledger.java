package bargelane.service.site;

import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Target.Owned;
import java.time.Clock;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;
import java.util.function.Predicate;
import org.hibernate.Session;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Everything of ours at the sites. A thing is recorded under its name before it is made, and its
 * record is deleted after it is gone; what can't be removed at once, because its site is away,
 * stays recorded as unwanted and is removed when the site is back. Things that carry our tag but no
 * record are listed, never deleted.
 */
public final class Ledger {

  /** Kinds in the order in which they can be removed: what uses comes before what is used. */
  static final List<String> ORDER =
      List.of("export", "started", "machine", "network", "snapshot", "marker", "volume", "point");

  private static final Logger log = LoggerFactory.getLogger(Ledger.class);

  private final Db db;
  private final Sites sites;
  private final Clock clock;
  private final String installation;
  private final String node;

  /** How long nobody else removes what one removes; longer than any call to a site takes. */
  private static final Duration CLAIM = Duration.ofMinutes(2);

  /** No further call is begun after this part of it. */
  private static final Duration CALLS = Duration.ofMinutes(1);

  /**
   * @param node names this node through its restarts
   */
  public Ledger(Db db, Sites sites, Clock clock, String installation, String node) {
    this.db = db;
    this.sites = sites;
    this.clock = clock;
    this.installation = installation;
    this.node = node;
  }

  /** What this node was removing when it was killed is anybody's. */
  public void open() {
    db.run(
        s ->
            Db.change(
                s, "update SiteObjectEntity set removingUntil = null where removingBy = ?1", node));
  }

  /** The tag of a tow's things. */
  public String owner(String towId) {
    return "bargelane/" + installation + "/" + towId;
  }

  /** The identity of this service, whatever node of it works. */
  public String installation() {
    return installation;
  }

  /** The tag that all things of this installation begin with. */
  public String ownerPrefix() {
    return "bargelane/" + installation + "/";
  }

  /** A thing at a site. */
  public record Thing(String siteId, String kind, String name) {}

  /**
   * Records a thing that is about to be made, and gives its owner tag. What an earlier step left
   * under that name is removed first.
   *
   * @throws SiteException that may pass, if it can't be removed yet
   */
  public String plan(String siteId, String towId, String kind, String name) {
    return plan(towId, List.of(new Thing(siteId, kind, name)));
  }

  /** Records things that are about to be made in one transaction; see the other. */
  public String plan(String towId, List<Thing> things) {
    return plan(owner(towId), s -> record(s, towId, things));
  }

  /**
   * The same for what is no tow's.
   *
   * @param subject the id of what it is made for, by which its owner tag is told
   */
  public String planFor(String subject, List<Thing> things) {
    return plan(owner(subject), s -> record(s, null, owner(subject), things));
  }

  private String plan(String owner, Function<Session, List<SiteObjectEntity>> recording) {
    while (true) {
      List<SiteObjectEntity> left = db.tx(recording);
      if (left.isEmpty()) {
        return owner;
      }
      for (SiteObjectEntity o : left) {
        tryRemove(o)
            .ifPresent(
                why -> {
                  throw new SiteException(
                      SiteException.Kind.MAY_PASS,
                      "left-behind",
                      o.kind
                          + " "
                          + o.name
                          + ", left by an earlier step, can't be removed yet: "
                          + why,
                      null);
                });
      }
    }
  }

  /**
   * Records things that are about to be made in the caller's transaction. Gives what an earlier
   * step left under their names: {@link #plan} removes that, before anything may be made.
   */
  public List<SiteObjectEntity> record(Session s, String towId, List<Thing> things) {
    return record(s, towId, owner(towId), things);
  }

  private List<SiteObjectEntity> record(Session s, String towId, String owner, List<Thing> things) {
    Map<Thing, SiteObjectEntity> known = new HashMap<>();
    find(s, things).forEach(o -> known.put(new Thing(o.siteId, o.kind, o.name), o));
    things.stream()
        .filter(t -> !known.containsKey(t))
        .forEach(t -> s.persist(recorded(towId, owner, t)));
    return known.values().stream().filter(o -> !o.wanted).toList();
  }

  private SiteObjectEntity recorded(String towId, String owner, Thing t) {
    SiteObjectEntity o = new SiteObjectEntity();
    o.id = Ids.next("obj");
    o.siteId = t.siteId;
    o.towId = towId;
    o.kind = t.kind;
    o.name = t.name;
    o.owner = owner;
    o.wanted = true;
    o.recordedAt = clock.instant();
    o.problem = "";
    return o;
  }

  /**
   * Records things that another service made, as a tow's, in the caller's transaction.
   *
   * @param wanted whether they stay; the sweep removes them if not
   */
  public void takeOver(Session s, String siteId, String towId, List<Owned> things, boolean wanted) {
    for (Owned o : things) {
      SiteObjectEntity taken = recorded(towId, o.owner(), new Thing(siteId, o.kind(), o.name()));
      taken.wanted = wanted;
      s.persist(taken);
    }
  }

  private static Optional<SiteObjectEntity> find(
      Session s, String siteId, String kind, String name) {
    return find(s, List.of(new Thing(siteId, kind, name))).stream().findFirst();
  }

  private static List<SiteObjectEntity> find(Session s, List<Thing> things) {
    return Db.list(
            s,
            SiteObjectEntity.class,
            "from SiteObjectEntity where siteId in ?1 and kind in ?2 and name in ?3",
            things.stream().map(Thing::siteId).distinct().toList(),
            things.stream().map(Thing::kind).distinct().toList(),
            things.stream().map(Thing::name).distinct().toList())
        .stream()
        .filter(o -> things.contains(new Thing(o.siteId, o.kind, o.name)))
        .toList();
  }

  /** A thing became the site's own: it is ours no more. */
  public void release(String siteId, String kind, String name) {
    db.run(
        s ->
            Db.change(
                s,
                "delete from SiteObjectEntity where siteId = ?1 and kind = ?2 and name = ?3",
                siteId,
                kind,
                name));
  }

  /** Marks a thing as unwanted in the caller's transaction; {@link #sweep} removes it. */
  public static void drop(Session s, String siteId, String kind, String name) {
    Db.change(
        s,
        "update SiteObjectEntity set wanted = false where siteId = ?1 and kind = ?2 and name = ?3",
        siteId,
        kind,
        name);
  }

  /** Marks everything of a tow as unwanted, in the caller's transaction. */
  public static void dropAll(Session s, String towId) {
    Db.change(s, "update SiteObjectEntity set wanted = false where towId = ?1", towId);
  }

  /** What is recorded as a tow's. */
  public static List<SiteObjectEntity> of(Session s, String towId) {
    return Db.list(s, SiteObjectEntity.class, "from SiteObjectEntity where towId = ?1", towId);
  }

  /**
   * Removes a thing now, or as soon as its site lets us. Gives what stands in the way, empty if it
   * is gone.
   */
  public Optional<String> remove(String siteId, String kind, String name) {
    return removeThem(s -> find(s, siteId, kind, name).stream().toList())
        .map(why -> why.substring(why.indexOf(": ") + 2));
  }

  /**
   * Removes things now, or as soon as their sites let us. Gives what could not be removed and why,
   * none if all is gone.
   */
  public Optional<String> remove(List<Thing> things) {
    return removeThem(s -> find(s, things));
  }

  /** Removes everything of a tow now; gives what could not be removed and why, none if all is. */
  public Optional<String> removeAll(String towId) {
    return removeThem(s -> of(s, towId));
  }

  /**
   * Removes those things of a tow that are chosen. Gives what could not be removed and why, none if
   * all is gone.
   */
  public Optional<String> removeAll(String towId, Predicate<SiteObjectEntity> which) {
    return removeThem(s -> of(s, towId).stream().filter(which).toList());
  }

  /** First all of them are unwanted, so that whoever dies after it leaves nothing behind. */
  private Optional<String> removeThem(Function<Session, List<SiteObjectEntity>> chosen) {
    return removeClaimed(db.tx(s -> claimed(s, unwanted(chosen.apply(s)))))
        .map(SiteException::getMessage);
  }

  /** Marks things as unwanted in the caller's transaction; gives the ids of their records. */
  public static List<String> drop(Session s, List<Thing> things) {
    return unwanted(find(s, things)).stream().map(o -> o.id).toList();
  }

  private static List<SiteObjectEntity> unwanted(List<SiteObjectEntity> chosen) {
    chosen.forEach(o -> o.wanted = false);
    return chosen;
  }

  /** Removes what is marked as unwanted, by the ids of the records; as {@link #remove(List)}. */
  public Optional<String> removeDropped(List<String> ids) {
    return removeClaimed(db.tx(s -> claimed(s, unwanted(s, ids)))).map(SiteException::getMessage);
  }

  private static List<SiteObjectEntity> unwanted(Session s, List<String> ids) {
    return Db.list(
        s, SiteObjectEntity.class, "from SiteObjectEntity where id in ?1 and not wanted", ids);
  }

  /** Things that are the caller's to remove, and why others that it chose are not. */
  public record Claimed(List<SiteObjectEntity> things, List<String> left) {}

  /**
   * Marks those things of a tow that are chosen as unwanted in the caller's transaction, and gives
   * them to be removed after it.
   */
  public Claimed claim(Session s, String towId, Predicate<SiteObjectEntity> which) {
    return claimed(s, unwanted(of(s, towId).stream().filter(which).toList()));
  }

  /**
   * Nobody makes a thing of such a name while it is being removed, and two don't remove it at once.
   * No transaction is open meanwhile: a site that is silent would hold it.
   */
  private Claimed claimed(Session s, List<SiteObjectEntity> chosen) {
    if (chosen.isEmpty()) {
      return new Claimed(List.of(), List.of());
    }
    s.flush();
    String until = "current_timestamp + interval '" + CLAIM.toSeconds() + " seconds'";
    List<?> ours =
        s.createNativeQuery(
                // By the database's clock, since those of nodes differ. What is held for longer
                // than
                // anybody holds it is so by a clock that stepped back.
                "update site_object set removing_by = :node, removing_until = "
                    + until
                    + " where id in (:ids) and not wanted and (removing_until is null"
                    + " or removing_until < current_timestamp or removing_until > "
                    + until
                    + ") returning id",
                Object.class)
            .setParameter("node", node)
            .setParameterList("ids", chosen.stream().map(o -> o.id).toList())
            .getResultList();
    return new Claimed(
        chosen.stream().filter(o -> ours.contains(o.id)).toList(),
        chosen.stream()
            .filter(o -> !ours.contains(o.id))
            .map(o -> o.kind + " " + o.name + ": it is being removed")
            .toList());
  }

  /**
   * Removes things that were claimed, or as soon as their sites let us. Gives what could not be
   * removed and why, none if all is gone; as something that may pass, whose code is that of a site
   * that is busy if one was.
   */
  public Optional<SiteException> removeClaimed(Claimed claimed) {
    List<String> left = new ArrayList<>(claimed.left);
    List<String> gone = new ArrayList<>();
    Map<String, String> problems = new LinkedHashMap<>();
    boolean busy = false;
    long begun = System.nanoTime();
    for (SiteObjectEntity o :
        claimed.things.stream()
            .sorted(Comparator.comparingInt(o -> ORDER.indexOf(o.kind)))
            .toList()) {
      String problem = "its site takes too long";
      try {
        if (System.nanoTime() - begun < CALLS.toNanos()) {
          removeAtSite(o);
          gone.add(o.id);
          continue;
        }
      } catch (SiteException e) {
        problem = String.valueOf(e.getMessage());
        busy |= e.code().equals(SiteException.BUSY);
      } catch (RuntimeException e) {
        log.error("removing {} {} failed", o.kind, o.name, e);
        problem = "the service failed: " + e.getClass().getSimpleName();
      }
      problems.put(o.id, problem);
      left.add(o.kind + " " + o.name + ": " + problem);
    }
    if (!claimed.things.isEmpty()) {
      db.run(s -> settle(s, gone, problems));
    }
    return left.isEmpty()
        ? Optional.empty()
        : Optional.of(
            new SiteException(
                SiteException.Kind.MAY_PASS,
                busy ? SiteException.BUSY : "left-behind",
                String.join("; ", left),
                null));
  }

  private void settle(Session s, List<String> gone, Map<String, String> problems) {
    if (!gone.isEmpty()) {
      Db.change(s, "delete from SiteObjectEntity where id in ?1 and removingBy = ?2", gone, node);
    }
    problems.forEach(
        (id, problem) ->
            Db.change(
                s,
                "update SiteObjectEntity set problem = ?1, removingUntil = null"
                    + " where id = ?2 and removingBy = ?3",
                problem,
                id,
                node));
  }

  private Optional<String> tryRemove(SiteObjectEntity o) {
    return removeDropped(List.of(o.id)).map(why -> why.substring(why.indexOf(": ") + 2));
  }

  /** Removes a thing, recorded or not; one that is gone does nothing. */
  void removeAtSite(SiteObjectEntity o) {
    SiteDriver driver = sites.driver(o.siteId);
    switch (o.kind) {
      case "export" -> driver.target().closeExport(o.name);
      case "snapshot" -> driver.source().dropSnapshot(o.name);
      case "marker" -> driver.source().forgetMarker(o.name);
      case "volume" -> driver.target().deleteVolume(o.name);
      case "point" -> driver.target().deletePoint(o.name);
      // A machine of the site's own that we started and that must not run: it stays, fenced.
      case "started" -> {
        driver.compute().stop(o.name);
        driver.compute().fence(o.name);
      }
      case "machine" -> {
        for (String id : ids(driver, o)) {
          driver.compute().stop(id);
          driver.compute().remove(id);
        }
      }
      case "network" -> ids(driver, o).forEach(driver.compute()::removeNetwork);
      default -> throw new IllegalStateException("kind " + o.kind);
    }
  }

  private static List<String> ids(SiteDriver driver, SiteObjectEntity o) {
    return driver.target().owned(o.owner).stream()
        .filter(x -> x.kind().equals(o.kind) && x.name().equals(o.name))
        .map(Owned::id)
        .toList();
  }

  /**
   * Takes records for what they are after a restore, in the caller's transaction. What was to be
   * stopped may run for somebody by now, and a point that was being made may be the newest there
   * is: neither is touched any more. Points are listed as things without a record. Exports and
   * snapshots were of passes that are over.
   */
  public static void restored(Session s) {
    s.createNativeMutationQuery(
            "delete from site_object where kind in ('started', 'machine') and not wanted")
        .executeUpdate();
    s.createNativeMutationQuery(
            "delete from site_object o where kind = 'point' and wanted"
                + " and not exists (select 1 from point p where p.name = o.name)")
        .executeUpdate();
    s.createNativeMutationQuery(
            "update site_object set wanted = false where kind in ('export', 'snapshot')")
        .executeUpdate();
    s.createNativeMutationQuery("update site_object set removing_until = null").executeUpdate();
  }

  /** Removes everything unwanted that can be removed now. Gives what could not be. */
  public List<String> sweep() {
    return removeEach(
        db.tx(s -> Db.list(s, SiteObjectEntity.class, "from SiteObjectEntity where not wanted")));
  }

  /** Removes what is unwanted of a tow. Gives what could not be. */
  public List<String> sweep(String towId) {
    return removeEach(
        db.tx(
            s ->
                Db.list(
                    s,
                    SiteObjectEntity.class,
                    "from SiteObjectEntity where towId = ?1 and not wanted",
                    towId)));
  }

  private List<String> removeEach(List<SiteObjectEntity> unwanted) {
    return unwanted.stream()
        .sorted(Comparator.comparingInt(o -> ORDER.indexOf(o.kind)))
        .flatMap(o -> tryRemove(o).map(why -> o.kind + " " + o.name + ": " + why).stream())
        .peek(why -> log.debug("not removed yet: {}", why))
        .toList();
  }

  /** Whether a thing is recorded. */
  public boolean recorded(String siteId, String kind, String name) {
    return db.tx(s -> find(s, siteId, kind, name)).isPresent();
  }
}
