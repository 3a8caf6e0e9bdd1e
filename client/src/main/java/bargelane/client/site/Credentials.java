package bargelane.client.site;

import static bargelane.client.Output.*;

import bargelane.api.SiteView;
import bargelane.client.Common;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Have a site try these credentials, in this order, and no others. */
@Command(
    name = "credentials",
    description = "Have a site try these credentials, in this order, and no others.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane site credentials branches scouts old-scouts"})
final class Credentials extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
  String name;

  @Parameters(index = "1..*", paramLabel = "CREDENTIAL", description = "Names, in their order.")
  List<String> credentials = List.of();

  @Override
  public Integer call() {
    return SitePrinter.print(
        this,
        api()
            .put(
                "/sites/" + escape(name) + "/credentials",
                Map.of("credentials", credentials),
                SiteView.class));
  }
}
