package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.api.LaneView;
import bargelane.client.Common;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Add a lane. */
@Command(
    name = "add",
    description = "Add a lane.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane lane add mill-to-marsh --from mill-street --to saltmarsh --network net-data=sub-data --storage shelf-a=reed"
    })
final class Add extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "LANE", description = "Name to give it.")
  String name;

  @Option(
      names = "--from",
      paramLabel = "SITE",
      required = true,
      description = "Site it begins at.")
  String from;

  @Option(names = "--to", paramLabel = "SITE", required = true, description = "Site it leads to.")
  String to;

  @Option(
      names = "--network",
      paramLabel = "SOURCE=SUBNET",
      description = "Join a network to a subnet; may be repeated.")
  Map<String, String> networks;

  @Option(
      names = "--storage",
      paramLabel = "SOURCE=CLASS",
      description = "Join a storage to a class; may be repeated.")
  Map<String, String> storages;

  @Option(names = "--zone", paramLabel = "ZONE", description = "Zone of the target.")
  String zone;

  @Option(
      names = "--keep-addresses",
      negatable = true,
      description = "Keep addresses where the subnet holds them.")
  Boolean keep;

  @Override
  public Integer call() {
    Map<String, Object> body = new LinkedHashMap<>();
    body.put("name", name);
    body.put("from", from);
    body.put("to", to);
    body.put("networks", networks);
    body.put("storages", storages);
    body.put("zone", zone);
    body.put("keepAddresses", keep);
    return LanePrinter.print(this, api().post("/lanes", body, LaneView.class));
  }
}
