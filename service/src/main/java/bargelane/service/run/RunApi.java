package bargelane.service.run;

import bargelane.api.RunView;
import bargelane.core.account.Need;
import bargelane.service.http.Endpoints;
import bargelane.service.http.Reach;

/** Endpoints of runs. */
public record RunApi(Runs runs, RunEngine engine) implements Endpoints.Room {

  @Override
  public void add(Endpoints e) {
    e.get("/runs", "Runs, newest first", Need.READ)
        .limited(Reach.NARROWED)
        .flag("open", "only those that are not over")
        .flag("passes", "with the timetables' passes")
        .first(50)
        .lists(
            RunView.class,
            r -> runs.list(r.tows(), r.flag("open"), r.flag("passes"), r.number("size")));
    e.get("/runs/{run}", "One run with its steps", Need.READ)
        .limited(Reach.RUN)
        .gives(RunView.class, r -> runs.view(r.path("run")));
    e.post("/runs/{run}/stop", "Stop a run: it is backed out at its next safe place", Need.MOVE)
        .limited(Reach.RUN)
        .gives(
            RunView.class,
            r -> {
              engine.stop(r.path("run"), r.by());
              return runs.view(r.path("run"));
            });
  }
}
