package bargelane.service.run;

import bargelane.api.Problem;
import bargelane.api.RunView;
import bargelane.api.StepView;
import bargelane.service.db.Db;
import bargelane.service.db.Json;
import bargelane.service.http.ProblemException;
import bargelane.service.site.SiteEntity;
import bargelane.service.wave.TowEntity;
import bargelane.service.wave.WaveEntity;
import java.util.List;
import java.util.Optional;
import org.hibernate.Session;

/** Runs as they are told. */
public final class Runs {

  private final Db db;

  public Runs(Db db) {
    this.db = db;
  }

  public RunView view(String id) {
    return db.tx(
        s ->
            view(
                s,
                Optional.ofNullable(s.find(RunEntity.class, id))
                    .orElseThrow(() -> ProblemException.missing("run", id))));
  }

  /** Newest first; the timetable's passes only where asked for. */
  public List<RunView> list(String towId, boolean open, boolean passes, int most) {
    return db.tx(s -> list(s, towId, open, passes, most));
  }

  public static List<RunView> list(
      Session s, String towId, boolean open, boolean passes, int most) {
    String where =
        "where (?1 = '' or towId = ?1)"
            + (open ? " and endedAt is null" : "")
            + (passes ? "" : " and kind <> 'pass'");
    return Db.query(
            s, RunEntity.class, "from RunEntity " + where + " order by startedAt desc", towId)
        .setMaxResults(most)
        .getResultList()
        .stream()
        .map(r -> view(s, r))
        .toList();
  }

  /** The newest scans of a site. */
  public List<RunView> scans(String siteId, int most) {
    return db.tx(
        s ->
            Db.query(
                    s,
                    RunEntity.class,
                    "from RunEntity where kind = 'scan' and siteId = ?1 order by startedAt desc",
                    siteId)
                .setMaxResults(Math.max(1, Math.min(most, 500)))
                .getResultList()
                .stream()
                .map(r -> view(s, r))
                .toList());
  }

  public static RunView view(Session s, RunEntity r) {
    List<StepView> steps =
        Db.list(s, StepEntity.class, "from StepEntity where runId = ?1 order by number", r.id)
            .stream()
            .map(
                x ->
                    new StepView(
                        x.number, x.name, x.title, x.state, x.detail, x.startedAt, x.endedAt))
            .toList();
    String wave =
        r.towId == null
            ? ""
            : s.find(WaveEntity.class, s.find(TowEntity.class, r.towId).waveId).name;
    String site = r.siteId == null ? "" : s.find(SiteEntity.class, r.siteId).name;
    return new RunView(
        r.id,
        r.kind,
        r.title,
        wave,
        site,
        r.state,
        r.startedAt,
        r.endedAt,
        steps,
        r.problem == null ? null : Json.read(r.problem, Problem.class),
        r.result == null ? null : Json.object(r.result),
        r.startedBy);
  }
}
