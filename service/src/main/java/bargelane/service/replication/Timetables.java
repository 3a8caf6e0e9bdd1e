package bargelane.service.replication;

import bargelane.api.TimetableAdd;
import bargelane.api.TimetableEdit;
import bargelane.api.TimetableView;
import bargelane.core.replication.LegState;
import bargelane.core.wave.Timetable;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.ProblemException;
import bargelane.service.site.Sites;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.function.Consumer;
import org.hibernate.LockMode;
import org.hibernate.Session;

/** What replication must keep, by name. */
public final class Timetables {

  private final Db db;
  private final Duration shortest;
  private final Consumer<List<String>> changed;

  /**
   * @param shortest the least time between two passes that may be asked for
   * @param changed hears of legs whose timetable was changed
   */
  public Timetables(Db db, Duration shortest, Consumer<List<String>> changed) {
    this.db = db;
    this.shortest = shortest;
    this.changed = changed;
  }

  /** A timetable by id or name. */
  public static TimetableEntity find(Session s, String ref) {
    return Db.first(
            s,
            TimetableEntity.class,
            "from TimetableEntity where id = ?1 or name = ?1",
            String.valueOf(ref))
        .orElseThrow(() -> ProblemException.missing("timetable", ref));
  }

  /** A timetable that is kept as this one, whatever it is called, or a new one. */
  public static TimetableEntity known(Session s, Manifest.Timetable told) {
    for (TimetableEntity t :
        Db.list(s, TimetableEntity.class, "from TimetableEntity order by name")) {
      if (new Manifest.Timetable(
              told.name(), t.everySeconds, t.rpoSeconds, t.keepPoints, t.verify, t.quiesce)
          .equals(told)) {
        return t;
      }
    }
    TimetableEntity t = new TimetableEntity();
    t.id = Ids.next("tt");
    t.name = Sites.free(s, "TimetableEntity", "timetable", told.name());
    t.everySeconds = told.every();
    t.rpoSeconds = told.rpo();
    t.keepPoints = told.keepPoints();
    t.verify = told.verify();
    t.quiesce = told.quiesce();
    s.persist(t);
    s.flush();
    return t;
  }

  public TimetableView add(TimetableAdd t) {
    Sites.name("timetable", t.name());
    return db.tx(
        s -> {
          Sites.unused(s, "TimetableEntity", "timetable", t.name());
          TimetableEntity e = new TimetableEntity();
          e.id = Ids.next("tt");
          e.name = t.name();
          e.verify = true;
          e.quiesce = true;
          keep(
              e,
              new TimetableEdit(
                  t.everySeconds(), t.rpoSeconds(), t.keepPoints(), t.verify(), t.quiesce()));
          s.persist(e);
          return view(e);
        });
  }

  /**
   * Changes a timetable; what is left out stays. Waves that keep to it follow at once; fewer points
   * are kept after the next pass.
   */
  public TimetableView edit(String ref, TimetableEdit asked) {
    List<String> legs = new ArrayList<>();
    TimetableView view =
        db.tx(
            s -> {
              TimetableEntity e =
                  s.find(TimetableEntity.class, find(s, ref).id, LockMode.PESSIMISTIC_WRITE);
              s.refresh(e);
              keep(e, asked);
              legs.addAll(
                  Db.list(
                      s,
                      String.class,
                      "select l.id from LegEntity l join TowEntity t on t.id = l.towId"
                          + " where t.timetableId = ?1 and l.state <> ?2",
                      e.id,
                      LegState.CLOSED));
              return view(e);
            });
    changed.accept(legs);
    return view;
  }

  /** Removes a timetable that no wave keeps to, or kept to when it was settled. */
  public void remove(String ref) {
    db.run(
        s -> {
          TimetableEntity e =
              s.find(TimetableEntity.class, find(s, ref).id, LockMode.PESSIMISTIC_WRITE);
          Db.first(s, TowEntity.class, "from TowEntity where timetableId = ?1 order by name", e.id)
              .ifPresent(
                  tow -> {
                    throw ProblemException.conflict(
                        "timetable-in-use",
                        "wave " + tow.name + " keeps to timetable " + e.name,
                        tow.settledAt == null
                            ? "settle or remove that wave first, or keep the timetable"
                            : "keep it: the settled wave is the record of its move");
                  });
          s.remove(e);
          s.flush();
        });
  }

  /** Takes over what was asked for, if all of it together can be kept. */
  private void keep(TimetableEntity e, TimetableEdit asked) {
    try {
      Timetable valid =
          new Timetable(
              every(or(asked.everySeconds(), e.everySeconds)),
              Duration.ofSeconds(or(asked.rpoSeconds(), e.rpoSeconds)),
              or(asked.keepPoints(), e.keepPoints),
              or(asked.verify(), e.verify),
              or(asked.quiesce(), e.quiesce));
      e.everySeconds = (int) valid.every().toSeconds();
      e.rpoSeconds = (int) valid.rpo().toSeconds();
      e.keepPoints = valid.keepPoints();
      e.verify = valid.verify();
      e.quiesce = valid.quiesce();
    } catch (IllegalArgumentException x) {
      throw ProblemException.invalid("timetable-impossible", x.getMessage(), "change the figures");
    }
  }

  private static <T> T or(T asked, T present) {
    return asked == null ? present : asked;
  }

  private Duration every(int seconds) {
    if (shortest.compareTo(Duration.ofSeconds(seconds)) > 0) {
      throw new IllegalArgumentException(
          "passes can't be asked for more often than every "
              + shortest.toSeconds()
              + " s; asked for "
              + seconds
              + " s");
    }
    return Duration.ofSeconds(seconds);
  }

  public TimetableView view(String ref) {
    return db.tx(s -> view(find(s, ref)));
  }

  private static TimetableView view(TimetableEntity e) {
    return new TimetableView(
        e.id, e.name, e.everySeconds, e.rpoSeconds, e.keepPoints, e.verify, e.quiesce);
  }

  public List<TimetableView> list() {
    return db.tx(
        s ->
            Db.list(s, TimetableEntity.class, "from TimetableEntity order by name").stream()
                .map(Timetables::view)
                .toList());
  }
}
