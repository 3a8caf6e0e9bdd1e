package bargelane.client.connection;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** Who talks to whom. */
@Command(
    name = "connection",
    description = "Who talks to whom.",
    mixinStandardHelpOptions = true,
    subcommands = {Add.class, ListConnections.class})
public final class ConnectionCommands {}
