package bargelane.client.lane;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** Lanes: directed routes from one site to another, with their joins. */
@Command(
    name = "lane",
    description = "Lanes: directed routes from one site to another, with their joins.",
    mixinStandardHelpOptions = true,
    subcommands = {
      ListLanes.class,
      Show.class,
      Add.class,
      Edit.class,
      Suggest.class,
      SetRule.class,
      Unset.class,
      RulesOf.class,
      Settings.class,
      Plan.class,
      Addresses.class,
      Clients.class,
      Ingress.class,
      SpansOf.class,
      Link.class,
      Zone.class,
      Check.class,
      Remove.class
    })
public final class LaneCommands {}
