package bargelane.client.token;

import static bargelane.client.Output.*;

import bargelane.api.TokenView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** List sessions and tokens of an account, the last one used first. */
@Command(
    name = "list",
    description = "List sessions and tokens of an account, the last one used first.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane token list --account ada"})
final class ListTokens extends Common implements Callable<Integer>, Tabled {

  @Option(
      names = "--account",
      paramLabel = "ACCOUNT",
      defaultValue = "",
      description = "Whose, if you are a keeper (default: your own).")
  String account;

  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api()
            .list(
                "/tokens" + (account.isEmpty() ? "" : "?account=" + escape(account)),
                TokenView.class),
        "No session and no token.",
        text("ID", TokenView::id),
        text("KIND", TokenView::kind),
        text("NAME", t -> t.tug() == null ? t.name() : t.name() + " (tug " + t.tug() + ")"),
        text("ROLES", TokenView::roles),
        time("LAST USED", TokenView::usedAt),
        text("FROM", t -> t.usedFrom() == null ? "" : t.usedFrom()),
        time("VALID UNTIL", TokenView::expiresAt));
    return 0;
  }
}
