package bargelane.client.audit;

import static bargelane.client.Output.*;

import bargelane.api.AuditView;
import bargelane.api.Page;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** List what was asked to be changed, the newest first. */
@Command(
    name = "list",
    description = "List what was asked to be changed, the newest first.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane audit list --account ada --refused"})
final class ListAudit extends Common implements Callable<Integer>, Tabled {

  private static final int WIDEST = 80;

  @Option(
      names = "--account",
      paramLabel = "ACCOUNT",
      defaultValue = "",
      description = "Whose (default: everybody's).")
  String account;

  @Option(names = "--refused", description = "Only what was refused or failed.")
  boolean refused;

  @Option(names = "--page", paramLabel = "NUMBER", defaultValue = "0", description = "From 0.")
  int page;

  @Option(
      names = "--size",
      paramLabel = "NUMBER",
      defaultValue = "50",
      description = "Entries a page, 1 to 500 (default: ${DEFAULT-VALUE}).")
  int size;

  static String path(String account, boolean refused, int page, int size) {
    return "/audit?page="
        + page
        + "&size="
        + size
        + "&account="
        + escape(account)
        + (refused ? "&refused=true" : "");
  }

  @Override
  public Integer call() {
    Answer<Page<AuditView>> found = api().page(path(account, refused, page, size), AuditView.class);
    if (output == Output.Form.json) {
      json(out(), found.json());
      return 0;
    }
    rows(
        out(),
        output,
        found.value().items(),
        "Nothing was asked to be changed.",
        number("ENTRY", AuditView::id),
        time("AT", AuditView::at),
        text("ACCOUNT", AuditView::account),
        text("FROM", AuditView::address),
        text("CALL", a -> a.method() + " " + a.path().replaceFirst("^/api/v1", "")),
        text("OUTCOME", ListAudit::outcome),
        text("BEFORE", a -> brief(a.before())),
        text("ASKED", a -> brief(a.asked())));
    more(found.value(), page, size);
    return 0;
  }

  /** The start of it, in a table that somebody reads; all of it is in the other forms. */
  private String brief(String text) {
    return output == Output.Form.table && text.length() > WIDEST
        ? text.substring(0, WIDEST) + " …"
        : text;
  }

  private static String outcome(AuditView a) {
    return a.status() == 0 ? "asked" : a.code() + (a.of() == null ? "" : " (entry " + a.of() + ")");
  }
}
