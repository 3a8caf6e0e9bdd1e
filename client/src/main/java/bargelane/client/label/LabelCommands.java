package bargelane.client.label;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** Rules that give labels. */
@Command(
    name = "label",
    description = "Rules that label every machine that a filter chooses, now and later.",
    mixinStandardHelpOptions = true,
    subcommands = {ListRules.class, Add.class, Remove.class})
public final class LabelCommands {}
