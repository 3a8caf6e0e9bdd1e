package bargelane.client.token;

import bargelane.client.Common;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Revoke sessions and tokens at once. */
@Command(
    name = "revoke",
    description = "Revoke sessions and tokens at once; those of others if you are a keeper.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane token revoke tok-7k2m9q4trw"})
final class Revoke extends Common implements Callable<Integer> {
  @Parameters(
      arity = "1..*",
      paramLabel = "TOKEN",
      description = "Ids, as 'token list' shows them.")
  List<String> ids;

  @Override
  public Integer call() {
    for (String id : ids) {
      api().delete("/tokens/" + escape(id));
      out().println(id + " is revoked.");
    }
    return 0;
  }
}
