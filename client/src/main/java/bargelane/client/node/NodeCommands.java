package bargelane.client.node;

import picocli.CommandLine.Command;

/** Nodes of the service. */
@Command(
    name = "node",
    description = "Nodes of the service, which share its work.",
    mixinStandardHelpOptions = true,
    subcommands = {ListNodes.class})
public final class NodeCommands {}
