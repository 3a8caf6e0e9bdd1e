package bargelane.client.account;

import picocli.CommandLine.Command;

/** Accounts, and what each may do. */
@Command(
    name = "account",
    description = "Accounts, and what each may do.",
    mixinStandardHelpOptions = true,
    subcommands = {ListAccounts.class, Add.class, Edit.class, Remove.class, Password.class})
public final class AccountCommands {

  static final String VARIABLE = "BARGELANE_SECRET";

  static final String ROLES =
      "reader (sees), planner (assesses, maps, plans), mover (loads, tests, moves), approver"
          + " (answers approvals), keeper (sites, credentials, accounts); may be given several"
          + " times.";
}
