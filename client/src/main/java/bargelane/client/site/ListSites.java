package bargelane.client.site;

import static bargelane.client.Output.*;

import bargelane.api.SiteView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** List sites. */
@Command(
    name = "list",
    description = "List sites.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane site list"})
final class ListSites extends Common implements Callable<Integer>, Tabled {

  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/sites", SiteView.class),
        "No sites yet. Add one: bargelane site add NAME --address URL --token-file FILE",
        text("NAME", SiteView::name),
        text("KIND", SiteView::kind),
        text("STATUS", SiteView::status),
        text("PLATFORM", SiteView::platform),
        text("VERSION", SiteView::version),
        number("MACHINES", SiteView::machines),
        time("CHECKED", SiteView::checkedAt),
        time("SCANNED", SiteView::scannedAt));
    return 0;
  }
}
