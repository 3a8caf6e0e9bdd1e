package bargelane.client.site;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** Sites: where machines run and where they can go. */
@Command(
    name = "site",
    description = "Sites: where machines run and where they can go.",
    mixinStandardHelpOptions = true,
    subcommands = {
      ListSites.class,
      Show.class,
      Add.class,
      Check.class,
      Scan.class,
      Changes.class,
      Credentials.class,
      Schedule.class,
      Leftovers.class,
      Adopt.class,
      Remove.class
    })
public final class SiteCommands {}
