package bargelane.client.run;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** Runs: pieces of work that can be followed. */
@Command(
    name = "run",
    description = "Runs: pieces of work that can be followed.",
    mixinStandardHelpOptions = true,
    subcommands = {ListRuns.class, Show.class, Consoles.class, Finish.class, Stop.class})
public final class RunCommands {}
