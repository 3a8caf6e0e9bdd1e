package bargelane.client.account;

import bargelane.api.AccountAdd;
import bargelane.api.AccountAdded;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import java.nio.file.Path;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Add an account. Without a password one is made, and printed once. */
@Command(
    name = "add",
    description = "Add an account. Without a password one is made, and printed once.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane account add ada --role planner --role mover"})
final class Add extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "ACCOUNT", description = "Name to give it.")
  String name;

  @Option(
      names = "--role",
      paramLabel = "ROLE",
      required = true,
      description = AccountCommands.ROLES)
  List<String> roles;

  @Option(
      names = "--machines",
      paramLabel = "FILTER",
      description =
          "Limit its roles to these machines; all if left out. See 'machine list --help'.")
  String machines;

  @Option(names = "--password-file", paramLabel = "FILE", description = "File with its password.")
  Path passwordFile;

  @Override
  public Integer call() {
    String password =
        passwordFile == null
            ? null
            : secret("--password-file", passwordFile, AccountCommands.VARIABLE);
    Answer<AccountAdded> added =
        api()
            .post("/accounts", new AccountAdd(name, password, roles, machines), AccountAdded.class);
    if (output == Output.Form.json) {
      Output.json(out(), added.json());
      return 0;
    }
    AccountAdded a = added.value();
    out()
        .println(
            "Account "
                + a.account().name()
                + " added: "
                + String.join(", ", a.account().roles())
                + AccountCommands.limit(a.account()));
    if (a.password() != null) {
      out().println("Password, told this once: " + a.password());
    }
    return 0;
  }
}
