package bargelane.client.lane;

import bargelane.api.Page;
import bargelane.api.PlacedView;
import bargelane.client.Answer;
import bargelane.client.ApiClient;
import bargelane.client.Common;
import com.fasterxml.jackson.databind.node.ArrayNode;
import java.util.ArrayList;
import java.util.List;

/** All machines of a lane's plan, read page by page. */
final class PlanPages {

  private static final int LARGEST = 500;

  private PlanPages() {}

  /**
   * Reads them.
   *
   * @param filter as docs/filters.md describes; empty for all
   * @param found only those with findings
   */
  static Answer<List<PlacedView>> all(ApiClient api, String lane, String filter, boolean found) {
    List<PlacedView> items = new ArrayList<>();
    ArrayNode json = null;
    long total = 1;
    for (int page = 0; items.size() < total; page++) {
      Answer<Page<PlacedView>> read =
          api.page(
              "/lanes/"
                  + Common.escape(lane)
                  + "/plan?size="
                  + LARGEST
                  + "&page="
                  + page
                  + "&found="
                  + found
                  + "&filter="
                  + Common.escape(filter),
              PlacedView.class);
      ArrayNode rows = (ArrayNode) read.json().path("items");
      if (json == null) {
        json = rows;
      } else {
        json.addAll(rows);
      }
      if (read.value().items().isEmpty()) {
        break;
      }
      items.addAll(read.value().items());
      total = read.value().total();
    }
    return new Answer<>(json, items);
  }
}
