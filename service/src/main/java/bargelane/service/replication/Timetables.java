package bargelane.service.replication;

import bargelane.api.TimetableAdd;
import bargelane.api.TimetableView;
import bargelane.core.wave.Timetable;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.ProblemException;
import bargelane.service.site.Sites;
import java.time.Duration;
import java.util.List;
import org.hibernate.Session;

/** What replication must keep, by name. */
public final class Timetables {

  private final Db db;
  private final Duration shortest;

  /**
   * @param shortest the least time between two passes that may be asked for
   */
  public Timetables(Db db, Duration shortest) {
    this.db = db;
    this.shortest = shortest;
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

  public TimetableView add(TimetableAdd t) {
    Sites.name("timetable", t.name());
    try {
      Timetable valid =
          new Timetable(
              every(t.everySeconds()),
              Duration.ofSeconds(t.rpoSeconds()),
              t.keepPoints(),
              t.verify() == null || t.verify(),
              t.quiesce() == null || t.quiesce());
      return db.tx(
          s -> {
            Sites.unused(s, "TimetableEntity", "timetable", t.name());
            TimetableEntity e = new TimetableEntity();
            e.id = Ids.next("tt");
            e.name = t.name();
            e.everySeconds = (int) valid.every().toSeconds();
            e.rpoSeconds = (int) valid.rpo().toSeconds();
            e.keepPoints = valid.keepPoints();
            e.verify = valid.verify();
            e.quiesce = valid.quiesce();
            s.persist(e);
            return view(e);
          });
    } catch (IllegalArgumentException e) {
      throw ProblemException.invalid("timetable-impossible", e.getMessage(), "change the figures");
    }
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
