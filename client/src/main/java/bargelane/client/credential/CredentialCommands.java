package bargelane.client.credential;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** Credentials of sites; never shown again once stored. */
@Command(
    name = "credential",
    description = "Credentials of sites; never shown again once stored.",
    mixinStandardHelpOptions = true,
    subcommands = {ListCredentials.class, Add.class, Edit.class, Remove.class})
public final class CredentialCommands {

  static final String VARIABLE = "BARGELANE_SECRET";
}
