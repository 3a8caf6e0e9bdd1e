package bargelane.service.lane;

import bargelane.api.LaneAdd;
import bargelane.api.LaneView;
import bargelane.api.SuggestionView;
import bargelane.core.account.Need;
import bargelane.service.http.Endpoints;
import bargelane.service.http.Request;

/** Endpoints of lanes. */
public record LaneApi(Lanes lanes) implements Endpoints.Room {

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
    e.put("/lanes/{lane}", "Change a lane's joins", Need.PLAN)
        .changes(r -> lanes.view(r.path("lane")))
        .takes(LaneAdd.class)
        .gives(LaneView.class, (r, b) -> tagged(r, lanes.edit(r.path("lane"), b, r.revision())));
    e.delete("/lanes/{lane}", "Remove a lane", Need.PLAN)
        .changes(r -> lanes.view(r.path("lane")))
        .does(r -> lanes.remove(r.path("lane")));
  }

  private static LaneView tagged(Request r, LaneView lane) {
    r.tag(lane.revision());
    return lane;
  }
}
