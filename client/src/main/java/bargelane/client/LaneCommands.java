package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Lanes: directed routes from one site to another, with their joins. */
@Command(
    name = "lane",
    description = "Lanes: directed routes from one site to another, with their joins.",
    mixinStandardHelpOptions = true,
    subcommands = {
      LaneCommands.ListLanes.class,
      LaneCommands.Show.class,
      LaneCommands.Add.class,
      LaneCommands.Edit.class,
      LaneCommands.Check.class,
      LaneCommands.Remove.class
    })
final class LaneCommands {

  @Command(
      name = "list",
      description = "List lanes.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane lane list"})
  static final class ListLanes extends Common implements Callable<Integer> {

    @Override
    public Integer call() {
      rows(
          out(),
          output,
          api().get("/lanes"),
          "No lanes yet. Add one: bargelane lane add NAME --from SITE --to SITE",
          text("NAME", "name"),
          text("FROM", "from"),
          text("TO", "to"),
          text("ZONE", "zone"),
          of("NOT JOINED", l -> String.valueOf(l.path("findings").size())));
      return 0;
    }
  }

  @Command(
      name = "show",
      description = "Show a lane, both directions.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane lane show mill-to-marsh"})
  static final class Show extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
    String name;

    @Override
    public Integer call() {
      return LanePrinter.print(this, api().get("/lanes/" + escape(name)));
    }
  }

  @Command(
      name = "add",
      description = "Add a lane.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane lane add mill-to-marsh --from mill-street --to saltmarsh --network net-data=sub-data --storage shelf-a=reed"
      })
  static final class Add extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "LANE", description = "Name to give it.")
    String name;

    @Option(names = "--from", required = true, description = "Site it begins at.")
    String from;

    @Option(names = "--to", required = true, description = "Site it leads to.")
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

    @Option(names = "--zone", description = "Zone of the target.")
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
      return LanePrinter.print(this, api().post("/lanes", body));
    }
  }

  @Command(
      name = "edit",
      description = "Add or change joins of a lane.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane lane edit mill-to-marsh --network net-staff=sub-staff"
      })
  static final class Edit extends Common implements Callable<Integer> {
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

    @Option(names = "--zone", description = "Zone of the target.")
    String zone;

    @Option(
        names = "--keep-addresses",
        negatable = true,
        description = "Keep addresses where the subnet holds them.")
    Boolean keep;

    @Override
    public Integer call() {
      JsonNode before = api().get("/lanes/" + escape(name));
      Map<String, Object> body = new LinkedHashMap<>();
      body.put("networks", LanePrinter.merged(before.path("networks"), networks));
      body.put("storages", LanePrinter.merged(before.path("storages"), storages));
      body.put("zone", zone);
      body.put("keepAddresses", keep);
      return LanePrinter.print(
          this,
          api()
              .put("/lanes/" + escape(name), body, "\"" + before.path("revision").asLong() + "\""));
    }
  }

  @Command(
      name = "check",
      description = "List what a lane lacks; exit 1 if it lacks something.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane lane check mill-to-marsh"})
  static final class Check extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
    String name;

    @Override
    public Integer call() {
      JsonNode lane = api().get("/lanes/" + escape(name));
      LanePrinter.print(this, lane);
      return lane.path("findings").isEmpty() ? 0 : 1;
    }
  }

  @Command(
      name = "remove",
      description = "Remove a lane that no wave uses.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane lane remove mill-to-marsh"})
  static final class Remove extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
    String name;

    @Override
    public Integer call() {
      api().delete("/lanes/" + escape(name));
      out().println("Lane " + name + " removed.");
      return 0;
    }
  }
}
