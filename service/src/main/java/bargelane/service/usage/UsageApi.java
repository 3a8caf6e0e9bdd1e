package bargelane.service.usage;

import bargelane.api.CsvImport;
import bargelane.api.ImportResult;
import bargelane.api.UsageView;
import bargelane.core.account.Need;
import bargelane.service.http.Endpoints;
import bargelane.service.http.Reach;

/** Endpoints of what machines used. */
public record UsageApi(Usages usages, UsageLists lists) implements Endpoints.Room {

  @Override
  public void add(Endpoints e) {
    e.post("/usage", "Import a list of what machines used, whole or not at all", Need.PLAN)
        .longest(Endpoints.LIST_BODY)
        .heavy()
        .takes(CsvImport.class)
        .gives(ImportResult.class, (r, b) -> lists.usage(b, r.by()));
    e.get("/machines/{machine}/usage", "What a machine used over a window of time", Need.READ)
        .limited(Reach.MACHINE)
        .query("from", "", "begin of the window; 30 days before its end if left out")
        .query("to", "", "end of the window; now if left out")
        .query("percentile", "", "50 to 100; 95 if left out")
        .number("points", 0, "points of a chart; none if 0")
        .gives(
            UsageView.class,
            r ->
                usages.view(
                    r.path("machine"),
                    r.query("from"),
                    r.query("to"),
                    r.query("percentile"),
                    r.number("points")));
  }
}
