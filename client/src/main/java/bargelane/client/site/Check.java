package bargelane.client.site;

import static bargelane.client.Output.*;

import bargelane.api.SiteView;
import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Test reach, permissions, clock and version; exit 1 if it finds something. */
@Command(
    name = "check",
    description = "Test reach, permissions, clock and version; exit 1 if it finds something.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane site check mill-street"})
final class Check extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
  String name;

  @Override
  public Integer call() {
    return SitePrinter.print(
        this, api().post("/sites/" + escape(name) + "/check", null, SiteView.class));
  }
}
