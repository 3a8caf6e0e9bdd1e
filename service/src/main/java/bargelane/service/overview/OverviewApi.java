package bargelane.service.overview;

import bargelane.api.FindingCode;
import bargelane.api.NodeView;
import bargelane.api.Overview;
import bargelane.api.PassDay;
import bargelane.api.PassView;
import bargelane.api.PointView;
import bargelane.api.RunView;
import bargelane.api.SizeChoice;
import bargelane.api.WaveAdd;
import bargelane.api.WaveCard;
import bargelane.api.WaveView;
import bargelane.core.account.Need;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Guide;
import bargelane.service.http.Endpoints;
import bargelane.service.http.Reach;
import bargelane.service.plan.Waves;
import bargelane.service.platform.Remedies;
import bargelane.service.replication.PassDays;
import bargelane.service.replication.ReplicationViews;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;

/** Endpoints of the overview and of waves, whose pages show several rooms. */
public record OverviewApi(
    OverviewPage overview,
    WavePages pages,
    Waves waves,
    ReplicationViews replication,
    PassDays days,
    NodesPage nodes)
    implements Endpoints.Room {

  private static final List<FindingCode> FINDINGS =
      Arrays.stream(Finding.Code.values())
          .map(OverviewApi::code)
          .sorted(Comparator.comparing(FindingCode::code))
          .toList();

  @Override
  public void add(Endpoints e) {
    e.get("/overview", "What needs the engineer now", Need.READ)
        .limited(Reach.NARROWED)
        .gives(Overview.class, r -> overview.view(r.tows(), r.machines()));
    e.get("/findings", "The catalogue of findings", Need.READ)
        .limited(Reach.ALL)
        .lists(FindingCode.class, r -> FINDINGS);
    e.get("/nodes", "Nodes of the service, and what each does", Need.READ)
        .lists(NodeView.class, r -> nodes.list());
    e.get("/waves", "List waves", Need.READ)
        .limited(Reach.NARROWED)
        .lists(WaveCard.class, r -> pages.cards(r.tows()));
    e.post("/waves", "Plan a wave", Need.PLAN)
        .takes(WaveAdd.class)
        .creates(WaveView.class, (r, b) -> pages.wave(waves.add(b)));
    e.get("/waves/{wave}", "One wave", Need.READ)
        .limited(Reach.WAVE)
        .gives(WaveView.class, r -> pages.wave(r.path("wave")));
    e.delete("/waves/{wave}", "Remove a wave that has no recovery point", Need.PLAN)
        .limited(Reach.WAVE)
        .changes(r -> pages.wave(r.path("wave")))
        .does(r -> waves.remove(r.path("wave")));
    e.put("/waves/{wave}/size", "Choose a machine's size", Need.PLAN)
        .limited(Reach.WAVE)
        .changes(r -> sizes(r.path("wave")))
        .takes(SizeChoice.class)
        .gives(
            WaveView.class,
            (r, b) -> {
              waves.size(r.path("wave"), b, r.by());
              return pages.wave(r.path("wave"));
            });
    e.get("/waves/{wave}/points", "Recovery points", Need.READ)
        .limited(Reach.WAVE)
        .lists(PointView.class, r -> replication.points(waves.state(r.path("wave")).tow.id));
    e.get("/waves/{wave}/passes", "Passes, newest first", Need.READ)
        .limited(Reach.WAVE)
        .first(40)
        .lists(
            PassView.class,
            r -> replication.passes(waves.state(r.path("wave")).tow.id, r.number("size")));
    e.get("/waves/{wave}/days", "How replication went, by day, the newest first", Need.READ)
        .limited(Reach.WAVE)
        .first(30)
        .lists(PassDay.class, r -> days.of(waves.state(r.path("wave")).tow.id, r.number("size")));
    e.post("/waves/{wave}/pause", "Hold back the passes of the timetable", Need.MOVE)
        .limited(Reach.WAVE)
        .gives(
            WaveView.class,
            r -> {
              waves.pause(r.path("wave"), r.by());
              return pages.wave(r.path("wave"));
            });
    e.post("/waves/{wave}/resume", "Let the passes of the timetable go on", Need.MOVE)
        .limited(Reach.WAVE)
        .gives(
            WaveView.class,
            r -> {
              waves.resume(r.path("wave"), r.by());
              return pages.wave(r.path("wave"));
            });
    e.post("/waves/{wave}/passes", "Make a pass now", Need.MOVE)
        .limited(Reach.WAVE)
        .flag("deep", "compare every byte of the copies with the source; trust no digest")
        .begins(RunView.class, r -> waves.pass(r.path("wave"), r.flag("deep"), r.by()));
    e.post(
            "/waves/{wave}/scrub",
            "Hold the copies at the target against their digests now",
            Need.MOVE)
        .limited(Reach.WAVE)
        .begins(RunView.class, r -> waves.scrub(r.path("wave"), r.by()));
  }

  /** A machine's size before another is chosen. */
  record Sized(String machine, String name, String size, String basis) {}

  private List<Sized> sizes(String wave) {
    return pages.wave(wave).machines().stream()
        .map(m -> new Sized(m.machine(), m.name(), m.size(), m.sizeBasis()))
        .toList();
  }

  private static FindingCode code(Finding.Code code) {
    Guide guide = Guide.of(code);
    return new FindingCode(
        code.text(),
        code.blocks(),
        code.meaning(),
        code.advice(),
        guide.who().name().toLowerCase(Locale.ROOT).replace('_', ' '),
        guide.actions().stream().map(a -> Remedies.view(a.of())).toList());
  }
}
