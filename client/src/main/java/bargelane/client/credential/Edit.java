package bargelane.client.credential;

import static bargelane.client.Output.*;

import bargelane.api.CredentialView;
import bargelane.api.SiteView;
import bargelane.client.Common;
import bargelane.client.site.SitePrinter;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Replace a credential's secret, and check the sites that use it. */
@Command(
    name = "edit",
    description = "Replace a credential's secret, and check the sites that use it.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane credential edit mill-street --secret-file token"})
final class Edit extends Common implements Callable<Integer> {
  @Parameters(
      index = "0",
      paramLabel = "CREDENTIAL",
      description = "Name or id; that of a site's own token is the site's.")
  String name;

  @Option(names = "--secret-file", paramLabel = "FILE", description = "File with the new secret.")
  Path secretFile;

  @Option(
      names = "--for",
      paramLabel = "HOST",
      split = ",",
      description = "Where it may be sent from now on; without it, where it was.")
  List<String> destinations;

  @Override
  public Integer call() {
    Map<String, Object> body = new LinkedHashMap<>();
    body.put("secret", secret("--secret-file", secretFile, CredentialCommands.VARIABLE));
    if (destinations != null) {
      body.put("destinations", destinations);
    }
    CredentialView edited =
        api().put("/credentials/" + escape(name), body, CredentialView.class).value();
    int code = 0;
    for (String site : edited.sites()) {
      code =
          Math.max(
              code,
              SitePrinter.print(
                  this, api().post("/sites/" + escape(site) + "/check", null, SiteView.class)));
    }
    if (edited.sites().isEmpty()) {
      out().println("Credential " + name + " has its new secret; no site uses it.");
    }
    return code;
  }
}
