package bargelane.client.token;

import picocli.CommandLine.Command;

/** Sessions of the console and tokens of programs. */
@Command(
    name = "token",
    description = "Sessions of the console and tokens of programs.",
    mixinStandardHelpOptions = true,
    subcommands = {ListTokens.class, Add.class, Revoke.class})
public final class TokenCommands {}
