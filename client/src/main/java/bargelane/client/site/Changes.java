package bargelane.client.site;

import static bargelane.client.Output.*;

import bargelane.client.ChangesCommand;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** List what scans of a site found different, newest first. */
@Command(
    name = "changes",
    description = "List what scans of a site found different, newest first.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane site changes mill-street"})
public final class Changes extends ChangesCommand {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
  String site;

  @Override
  protected String path() {
    return "/sites/" + escape(site);
  }
}
