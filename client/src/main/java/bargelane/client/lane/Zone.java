package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.api.ZoneFileView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Write the changes of names' records as a zone file. */
@Command(
    name = "zone",
    description =
        "Write the records of names whose addresses change on a lane, as a zone file (RFC 1035).",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane lane zone mill-to-marsh --origin quillhaven.example"})
final class Zone extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
  String name;

  @Option(
      names = "--origin",
      paramLabel = "DOMAIN",
      required = true,
      description = "The domain that the machines' names are in.")
  String origin;

  @Override
  public Integer call() {
    Answer<ZoneFileView> zone =
        api().get("/lanes/" + escape(name) + "/zone?origin=" + escape(origin), ZoneFileView.class);
    if (output == Output.Form.json) {
      json(out(), zone.json());
    } else {
      out().print(zone.value().text());
      out().flush();
    }
    return 0;
  }
}
