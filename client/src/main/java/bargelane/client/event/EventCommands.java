package bargelane.client.event;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** Events: what happened. */
@Command(
    name = "event",
    description = "Events: what happened.",
    mixinStandardHelpOptions = true,
    subcommands = {ListEvents.class})
public final class EventCommands {}
