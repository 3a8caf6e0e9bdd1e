package bargelane.service.lane;

import bargelane.api.LaneAdd;
import bargelane.api.LaneView;
import bargelane.api.LinkView;
import bargelane.api.RuleChanges;
import bargelane.api.RuleView;
import bargelane.api.RunView;
import bargelane.api.SettingView;
import bargelane.api.ShoreView;
import bargelane.api.SuggestionView;
import bargelane.core.account.Need;
import bargelane.service.http.Endpoints;
import bargelane.service.http.Request;
import bargelane.service.run.Runs;
import java.util.List;

/** Endpoints of lanes. */
public record LaneApi(Lanes lanes, Links links, Runs runs) implements Endpoints.Room {

  @Override
  public void add(Endpoints e) {
    e.get("/lanes", "List lanes", Need.READ).lists(LaneView.class, r -> lanes.list());
    e.post("/lanes", "Add a lane", Need.PLAN)
        .takes(LaneAdd.class)
        .creates(LaneView.class, (r, b) -> tagged(r, lanes.add(b)));
    e.get("/lanes/{lane}", "One lane, with what it lacks", Need.READ)
        .gives(LaneView.class, r -> tagged(r, lanes.view(r.path("lane"))));
    e.get(
            "/lanes/{lane}/suggestions",
            "Joins for what is joined to nothing, with reasons",
            Need.READ)
        .lists(SuggestionView.class, r -> lanes.suggestions(r.path("lane")));
    e.get("/lanes/{lane}/shores", "What is at both ends, and what of it is joined", Need.READ)
        .lists(ShoreView.class, r -> lanes.shores(r.path("lane")));
    e.get("/lanes/{lane}/rules", "What a lane decides, and for whom", Need.READ)
        .lists(RuleView.class, r -> lanes.rules(r.path("lane")));
    e.put("/lanes/{lane}/rules", "Decide for a lane, a wave, a machine or a part of it", Need.PLAN)
        .changes(r -> new RulesBefore(lanes.rules(r.path("lane"))))
        .longest(Endpoints.LIST_BODY)
        .takes(RuleChanges.class)
        .gives(LaneView.class, (r, b) -> tagged(r, lanes.decide(r.path("lane"), b, r.revision())));
    e.get(
            "/lanes/{lane}/settings",
            "What can be decided on a lane, and what its target takes",
            Need.READ)
        .lists(SettingView.class, r -> lanes.settings(r.path("lane")));
    e.get("/lanes/{lane}/link", "What the way between its sites carried when measured", Need.READ)
        .gives(LinkView.class, r -> links.view(r.path("lane")));
    e.post("/lanes/{lane}/link", "Measure the way between its sites", Need.PLAN)
        .begins(RunView.class, r -> runs.view(links.measure(r.path("lane"), r.by())));
    e.put("/lanes/{lane}", "Change a lane's joins", Need.PLAN)
        .changes(r -> lanes.view(r.path("lane")))
        .takes(LaneAdd.class)
        .gives(LaneView.class, (r, b) -> tagged(r, lanes.edit(r.path("lane"), b, r.revision())));
    e.delete("/lanes/{lane}", "Remove a lane", Need.PLAN)
        .changes(r -> lanes.view(r.path("lane")))
        .does(r -> lanes.remove(r.path("lane")));
  }

  /** The rules as they stand before a change, for the audit. */
  record RulesBefore(List<RuleView> changes) {}

  private static LaneView tagged(Request r, LaneView lane) {
    r.tag(lane.revision());
    return lane;
  }
}
