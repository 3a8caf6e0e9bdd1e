package bargelane.client.tug;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** The workers that move disk bytes. */
@Command(
    name = "tug",
    description = "Workers that move disk bytes.",
    mixinStandardHelpOptions = true,
    subcommands = {ListTugs.class})
public final class TugCommands {}
