package bargelane.client.credential;

import static bargelane.client.Output.*;

import bargelane.api.CredentialView;
import bargelane.client.Common;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Store a credential. Its secret is read from a file or from BARGELANE_SECRET. */
@Command(
    name = "add",
    description = "Store a credential. Its secret is read from a file or from BARGELANE_SECRET.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane credential add scouts --type key --account scout --secret-file scout-key --for 10.20.0.0/16"
    })
final class Add extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "CREDENTIAL", description = "Name to give it.")
  String name;

  @Option(
      names = "--type",
      paramLabel = "TYPE",
      defaultValue = "password",
      description = "token, password or key (a private key without a passphrase).")
  String type;

  @Option(
      names = "--account",
      paramLabel = "ACCOUNT",
      defaultValue = "",
      description = "Who we are with a password or a key.")
  String account;

  @Option(names = "--secret-file", paramLabel = "FILE", description = "File with the secret.")
  Path secretFile;

  @Option(
      names = "--for",
      paramLabel = "HOST",
      split = ",",
      required = true,
      description =
          "Where it may be sent: hosts, *.ZONE or ranges such as 10.20.0.0/16, with :PORT or without; any for everywhere.")
  List<String> destinations;

  @Override
  public Integer call() {
    Map<String, Object> body = new LinkedHashMap<>();
    body.put("name", name);
    body.put("type", type);
    body.put("account", account);
    body.put("secret", secret("--secret-file", secretFile, CredentialCommands.VARIABLE));
    body.put("destinations", destinations);
    CredentialView stored = api().post("/credentials", body, CredentialView.class).value();
    out()
        .println(
            "Credential "
                + name
                + " stored. It is sent to "
                + String.join(", ", stored.destinations())
                + " alone.");
    return 0;
  }
}
