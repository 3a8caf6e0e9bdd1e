package bargelane.client.key;

import picocli.CommandLine.Command;

/** The key that secrets are sealed with. */
@Command(
    name = "key",
    description = "The master key, with which the credentials of sites are sealed.",
    mixinStandardHelpOptions = true,
    subcommands = {Rotate.class})
public final class KeyCommands {}
