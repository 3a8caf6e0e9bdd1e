package bargelane.client.account;

import bargelane.api.AccountView;
import picocli.CommandLine.Command;

/** Accounts, and what each may do. */
@Command(
    name = "account",
    description = "Accounts, and what each may do.",
    mixinStandardHelpOptions = true,
    subcommands = {ListAccounts.class, Add.class, Edit.class, Remove.class, Password.class})
public final class AccountCommands {

  static final String VARIABLE = "BARGELANE_SECRET";

  /** What an account is limited to, to go on with after its roles. */
  static String limit(AccountView a) {
    return a.machines().isEmpty() ? "" : ", for the machines of \"" + a.machines() + "\" only";
  }

  public static final String ROLES =
      "reader (sees), planner (assesses, maps, plans), mover (loads, tests, moves), approver"
          + " (answers approvals), keeper (sites, credentials, accounts); may be given several"
          + " times.";
}
