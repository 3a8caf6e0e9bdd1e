package bargelane.client.account;

import static bargelane.client.Output.*;

import bargelane.api.AccountView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** List accounts, what each may do, and when it was last used. */
@Command(
    name = "list",
    description = "List accounts, what each may do, and when it was last used.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane account list"})
final class ListAccounts extends Common implements Callable<Integer>, Tabled {
  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/accounts", AccountView.class),
        "No account.",
        text("NAME", AccountView::name),
        text("ROLES", AccountView::roles),
        text("MACHINES", a -> a.machines().isEmpty() ? "all" : a.machines()),
        text("SIGNS IN BY", a -> a.provider().isEmpty() ? "password" : a.provider()),
        number("SESSIONS", AccountView::sessions),
        number("TOKENS", AccountView::tokens),
        time("LAST USED", AccountView::seenAt),
        time("ADDED", AccountView::createdAt));
    return 0;
  }
}
