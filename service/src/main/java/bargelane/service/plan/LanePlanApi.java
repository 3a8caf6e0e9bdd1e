package bargelane.service.plan;

import bargelane.api.AddressClient;
import bargelane.api.CsvImport;
import bargelane.api.ImportResult;
import bargelane.api.IngressView;
import bargelane.api.PlacedView;
import bargelane.api.SpanView;
import bargelane.api.ZoneFileView;
import bargelane.core.account.Need;
import bargelane.service.http.Endpoints;

/** Endpoints of a lane's plan: where each machine of its source goes. */
public record LanePlanApi(LanePlans plans, AddressLists lists) implements Endpoints.Room {

  @Override
  public void add(Endpoints e) {
    e.get("/lanes/{lane}/plan", "Where each machine goes, why, and what is in the way", Need.READ)
        .query("filter", "", "as docs/filters.md describes; all if left out")
        .flag("found", "only machines with findings")
        .paged()
        .pages(
            PlacedView.class,
            r ->
                plans.page(
                    r.path("lane"),
                    r.query("filter"),
                    r.flag("found"),
                    r.number("page"),
                    r.number("size")));
    e.get("/lanes/{lane}/clients", "Who connects to addresses that change", Need.READ)
        .paged()
        .pages(
            AddressClient.class,
            r -> plans.clients(r.path("lane"), r.number("page"), r.number("size")));
    e.get("/lanes/{lane}/ingress", "What is let in at the target, and what is proposed", Need.READ)
        .query("filter", "", "as docs/filters.md describes; all if left out")
        .paged()
        .pages(
            IngressView.class,
            r ->
                plans.ingress(
                    r.path("lane"), r.query("filter"), r.number("page"), r.number("size")));
    e.get(
            "/lanes/{lane}/spans",
            "Networks whose range is at both ends, and what hangs on each",
            Need.READ)
        .lists(SpanView.class, r -> plans.spans(r.path("lane")));
    e.get("/lanes/{lane}/zone", "Changes of names' records as a zone file", Need.READ)
        .query("origin", "", "the domain that the machines' names are in")
        .gives(ZoneFileView.class, r -> plans.zone(r.path("lane"), r.query("origin")));
    e.post("/lanes/{lane}/addresses", "Import an address plan, whole or not at all", Need.PLAN)
        .longest(Endpoints.LIST_BODY)
        .heavy()
        .takes(CsvImport.class)
        .gives(ImportResult.class, (r, b) -> lists.take(r.path("lane"), b));
  }
}
