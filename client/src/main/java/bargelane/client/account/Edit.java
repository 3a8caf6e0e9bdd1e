package bargelane.client.account;

import bargelane.api.AccountEdit;
import bargelane.api.AccountView;
import bargelane.client.Common;
import java.nio.file.Path;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;

/** Change an account's roles, its machines, or its password, which ends its sessions. */
@Command(
    name = "edit",
    description =
        "Change an account's roles, its machines, or its password, which ends its sessions.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane account edit ada --role reader"})
final class Edit extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "ACCOUNT", description = "Its name.")
  String name;

  @Option(
      names = "--role",
      paramLabel = "ROLE",
      description = "In place of those that it has: " + AccountCommands.ROLES)
  List<String> roles;

  @Option(
      names = "--machines",
      paramLabel = "FILTER",
      description = "Limit its roles to these machines; '' lifts the limit.")
  String machines;

  @Option(
      names = "--password-file",
      paramLabel = "FILE",
      description = "File with its new password.")
  Path passwordFile;

  @Override
  public Integer call() {
    if (roles == null && machines == null && passwordFile == null) {
      throw new ParameterException(
          spec.commandLine(),
          "nothing is to be changed: give --role, --machines or --password-file");
    }
    String password =
        passwordFile == null
            ? null
            : secret("--password-file", passwordFile, AccountCommands.VARIABLE);
    AccountView edited =
        api()
            .put(
                "/accounts/" + escape(name),
                new AccountEdit(password, roles, machines),
                AccountView.class)
            .value();
    out()
        .println(
            edited.name()
                + " has the roles "
                + String.join(", ", edited.roles())
                + AccountCommands.limit(edited)
                + ".");
    if (password != null) {
      out().println("Its password is new; its sessions have ended.");
    }
    return 0;
  }
}
