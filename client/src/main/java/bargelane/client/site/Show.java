package bargelane.client.site;

import static bargelane.client.Output.*;

import bargelane.api.SiteView;
import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Show a site. */
@Command(
    name = "show",
    description = "Show a site.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane site show mill-street"})
final class Show extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
  String name;

  @Override
  public Integer call() {
    return SitePrinter.print(this, api().get("/sites/" + escape(name), SiteView.class));
  }
}
