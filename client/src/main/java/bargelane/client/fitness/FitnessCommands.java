package bargelane.client.fitness;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** Rules of fitness. */
@Command(
    name = "fitness",
    description = "Rules by which assessments judge whether machines go.",
    mixinStandardHelpOptions = true,
    subcommands = {ListRules.class, Add.class, Remove.class})
public final class FitnessCommands {}
