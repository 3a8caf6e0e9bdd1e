package bargelane.service.connection;

import bargelane.api.ConnectionView;
import bargelane.api.CsvImport;
import bargelane.api.ImportResult;
import bargelane.core.account.Need;
import bargelane.service.http.Endpoints;

/** Endpoints of who talks to whom. */
public record ConnectionApi(Connections connections, ConnectionLists lists)
    implements Endpoints.Room {

  @Override
  public void add(Endpoints e) {
    e.post(
            "/sites/{site}/connections",
            "Import a list of connections in place of the site's last one",
            Need.PLAN)
        .longest(Endpoints.LIST_BODY)
        .heavy()
        .takes(CsvImport.class)
        .gives(ImportResult.class, (r, b) -> lists.connections(r.path("site"), b, r.by()));
    e.get("/connections", "Who talks to whom", Need.READ)
        .query("machine", "", "those of one machine")
        .query("filter", "", "those of machines that a filter chooses")
        .query("sort", "-bytes", "bytes, count, lastSeen or port; -bytes descends")
        .paged()
        .pages(
            ConnectionView.class,
            r ->
                connections.list(
                    r.query("machine"),
                    r.query("filter"),
                    r.query("sort"),
                    r.number("page"),
                    r.number("size")));
  }
}
