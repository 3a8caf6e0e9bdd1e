package bargelane.client.usage;

import picocli.CommandLine.Command;

/** What machines used. */
@Command(
    name = "usage",
    description = "What machines used, from lists. To look at it: bargelane machine usage NAME",
    mixinStandardHelpOptions = true,
    subcommands = {Add.class})
public final class UsageCommands {}
