package bargelane.client.audit;

import bargelane.api.AuditView;
import bargelane.api.Page;
import bargelane.client.Answer;
import bargelane.client.ApiClient;
import bargelane.client.Common;
import com.fasterxml.jackson.databind.JsonNode;
import java.util.concurrent.Callable;
import java.util.function.Predicate;
import picocli.CommandLine.Command;

/** Print all entries as JSON, one a line, the newest first. */
@Command(
    name = "export",
    description = "Print all entries as JSON, one a line, the newest first.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane audit export > audit.ndjson"})
final class Export extends Common implements Callable<Integer> {

  private static final int SIZE = 500;

  @Override
  public Integer call() {
    each(
        api(),
        entry -> {
          out().println(entry);
          return true;
        });
    return 0;
  }

  /** Whether an entry has a digest. */
  static boolean has(ApiClient api, String digest) {
    return !each(api, entry -> !entry.path("digest").asText().equals(digest));
  }

  /** Gives each entry once, though others are made meanwhile, until one is not to be gone past. */
  private static boolean each(ApiClient api, Predicate<JsonNode> go) {
    long last = Long.MAX_VALUE;
    for (int page = 0; ; page++) {
      Answer<Page<AuditView>> found =
          api.page(ListAudit.path("", false, page, SIZE), AuditView.class);
      for (JsonNode entry : found.json().path("items")) {
        long id = entry.path("id").asLong();
        if (id < last) {
          last = id;
          if (!go.test(entry)) {
            return false;
          }
        }
      }
      if (found.value().items().size() < SIZE) {
        return true;
      }
    }
  }
}
