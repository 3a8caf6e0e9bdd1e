package bargelane.client.server;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** Servers of sites that are lists of them. */
@Command(
    name = "server",
    description = "Servers of sites of kind servers: read over SSH, nothing installed on them.",
    mixinStandardHelpOptions = true,
    subcommands = {ListServers.class, Add.class, Trust.class, Remove.class})
public final class ServerCommands {}
