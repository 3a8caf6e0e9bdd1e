package bargelane.client.credential;

import static bargelane.client.Output.*;

import bargelane.api.CredentialView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** List credentials, without their secrets. */
@Command(
    name = "list",
    description = "List credentials, without their secrets.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane credential list"})
final class ListCredentials extends Common implements Callable<Integer>, Tabled {
  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/credentials", CredentialView.class),
        "No credentials yet. Store one: bargelane credential add NAME --type key --account ACCOUNT"
            + " --secret-file FILE --for HOST",
        text("NAME", CredentialView::name),
        text("TYPE", CredentialView::type),
        text("ACCOUNT", CredentialView::account),
        text("MAY GO TO", CredentialView::destinations),
        text("USED BY", CredentialView::sites),
        time("CHANGED", CredentialView::changedAt));
    return 0;
  }
}
