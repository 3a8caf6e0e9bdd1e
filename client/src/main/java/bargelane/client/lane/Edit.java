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

/** Add or change joins of a lane. */
@Command(
    name = "edit",
    description = "Add or change joins of a lane.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane lane edit mill-to-marsh --network net-staff=sub-staff"})
final class Edit extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
  String name;

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
    LaneView before = api().get("/lanes/" + escape(name), LaneView.class).value();
    Map<String, Object> body = new LinkedHashMap<>();
    body.put("networks", LanePrinter.merged(before.networks(), networks));
    body.put("storages", LanePrinter.merged(before.storages(), storages));
    body.put("zone", zone);
    body.put("keepAddresses", keep);
    return LanePrinter.print(
        this,
        api().put("/lanes/" + escape(name), body, "\"" + before.revision() + "\"", LaneView.class));
  }
}
