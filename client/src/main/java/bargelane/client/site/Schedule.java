package bargelane.client.site;

import static bargelane.client.Output.*;

import bargelane.api.SiteView;
import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Scan a site on schedule. */
@Command(
    name = "schedule",
    description = "Scan a site on schedule.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane site schedule mill-street \"30 2 * * *\""})
final class Schedule extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
  String name;

  @Parameters(
      index = "1",
      arity = "0..1",
      defaultValue = "",
      paramLabel = "CRON",
      description =
          "Minute, hour, day of the month, month and day of the week, in UTC; none for never.")
  String cron;

  @Override
  public Integer call() {
    return SitePrinter.print(
        this,
        api()
            .put(
                "/sites/" + escape(name) + "/schedule",
                java.util.Map.of("cron", cron),
                SiteView.class));
  }
}
