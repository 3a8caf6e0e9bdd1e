package bargelane.service.run;

import bargelane.api.Problem;
import bargelane.api.RunView;
import bargelane.api.StepView;
import bargelane.core.run.StepState;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.Upkeep;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.hibernate.Session;

/** Runs as they are told. */
public final class Runs {

  /** The runs that no person asked for and that are over; see {@link Upkeep}. */
  public static final String OLD =
      "(select id from run where routine and parent_id is null and ended_at < ?1)";

  /** Deletes them and their steps, once no pass names them. */
  public static final List<String> TIDY =
      List.of(
          "delete from step where run_id in " + OLD,
          "delete from run where id in "
              + OLD
              + " and not exists (select 1 from pass where run_id = run.id)");

  private final Db db;

  public Runs(Db db) {
    this.db = db;
  }

  public RunView view(String id) {
    return db.tx(s -> view(s, find(s, id)));
  }

  /** A run that is there. */
  public static RunEntity find(Session s, String id) {
    return Optional.ofNullable(s.find(RunEntity.class, id))
        .orElseThrow(() -> ProblemException.missing("run", id));
  }

  /** Newest first; routine runs, such as a timetable's passes, only where asked for. */
  public List<RunView> list(
      Optional<Set<String>> subjects, boolean open, boolean routine, int most) {
    return db.tx(s -> list(s, subjects, open, routine, most));
  }

  /** The runs of some subjects, or of all where none are given. */
  public static List<RunView> list(
      Session s, Optional<Set<String>> subjects, boolean open, boolean routine, int most) {
    String where =
        "where (?1 = true or subjectId in ?2)"
            + (open ? " and endedAt is null" : "")
            + (routine ? "" : " and not routine");
    return views(
        s,
        "from RunEntity " + where + " order by startedAt desc",
        most,
        subjects.isEmpty(),
        subjects.orElse(Set.of("")));
  }

  /** The newest runs of a kind on a subject. */
  public List<RunView> ofKind(String kind, String subjectId, int most) {
    return db.tx(
        s ->
            views(
                s,
                "from RunEntity where kind = ?1 and subjectId = ?2 order by startedAt desc",
                Math.max(1, Math.min(most, 500)),
                kind,
                subjectId));
  }

  private static List<RunView> views(Session s, String hql, int most, Object... parameters) {
    return Db.query(s, RunEntity.class, hql, parameters)
        .setMaxResults(most)
        .getResultList()
        .stream()
        .map(r -> view(s, r))
        .toList();
  }

  /** Runs of a kind on a subject that are not over, the oldest first. */
  public static List<RunEntity> open(Session s, String kind, String subjectId) {
    return Db.list(
        s,
        RunEntity.class,
        "from RunEntity where kind = ?1 and subjectId = ?2 and endedAt is null order by startedAt",
        kind,
        subjectId);
  }

  /** All runs of a subject that are not over, the oldest first. */
  public static List<RunEntity> open(Session s, String subjectId) {
    return Db.list(
        s,
        RunEntity.class,
        "from RunEntity where subjectId = ?1 and endedAt is null order by startedAt",
        subjectId);
  }

  /** The newest run of a subject that is no routine one. */
  public static Optional<RunEntity> newest(Session s, String subjectId) {
    return Db.first(
        s,
        RunEntity.class,
        "from RunEntity where subjectId = ?1 and not routine order by startedAt desc",
        subjectId);
  }

  /** A step that was tried and waits. */
  public record Waits(String run, String cause, Instant since) {}

  /** What a run waits for, if it was tried before. */
  public static Optional<Waits> waits(Session s, RunEntity r) {
    return Db.first(
            s,
            StepEntity.class,
            "from StepEntity where runId = ?1 and state = ?2 order by number desc",
            r.id,
            StepState.RUNNING)
        .filter(x -> x.attempts > 1 && !x.detail.isEmpty())
        .map(x -> new Waits(r.title, x.title + ": " + x.detail, x.startedAt));
  }

  /** Titles of what a node carries out now, the oldest first. */
  public static List<String> drivenBy(Session s, String node, int most) {
    return s.createNativeQuery(
            "select r.title from scheduled_tasks t join run r on r.id = t.task_instance"
                + " where t.task_name = :task and t.picked and t.picked_by = :node order by r.started_at",
            String.class)
        .setParameter("task", RunStore.TASK)
        .setParameter("node", node)
        .setMaxResults(most)
        .getResultList();
  }

  /** Whether any run of a subject is not over. */
  public static boolean busy(Session s, String subjectId) {
    return !Db.list(
            s,
            String.class,
            "select id from RunEntity where subjectId = ?1 and endedAt is null",
            subjectId)
        .isEmpty();
  }

  /** Deletes the runs of a subject that is removed, with their steps. None may be open. */
  public static void forget(Session s, String subjectId) {
    Db.change(
        s,
        "delete from StepEntity where runId in (select id from RunEntity where subjectId = ?1)",
        subjectId);
    // Those that others were begun by go last.
    Db.change(s, "delete from RunEntity where subjectId = ?1 and parentId is not null", subjectId);
    Db.change(s, "delete from RunEntity where subjectId = ?1", subjectId);
  }

  public static RunView view(Session s, RunEntity r) {
    List<StepView> steps =
        Db.list(s, StepEntity.class, "from StepEntity where runId = ?1 order by number", r.id)
            .stream()
            .map(
                x ->
                    new StepView(
                        x.number,
                        x.name,
                        x.title,
                        x.state.word(),
                        x.detail,
                        x.startedAt,
                        x.endedAt))
            .toList();
    return new RunView(
        r.id,
        r.kind,
        r.title,
        r.subjectKind,
        r.subjectName,
        r.state.word(),
        r.startedAt,
        r.endedAt,
        steps,
        r.problem == null ? null : Json.read(r.problem, Problem.class),
        r.result == null ? null : Json.object(r.result),
        r.startedBy);
  }
}
