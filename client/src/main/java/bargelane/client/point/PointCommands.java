package bargelane.client.point;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** Recovery points. */
@Command(
    name = "point",
    description = "Recovery points.",
    mixinStandardHelpOptions = true,
    subcommands = {ListPoints.class})
public final class PointCommands {}
