package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Credentials of sites; never shown again once stored. */
@Command(
    name = "credential",
    description = "Credentials of sites; never shown again once stored.",
    mixinStandardHelpOptions = true,
    subcommands = {
      CredentialCommands.ListCredentials.class,
      CredentialCommands.Add.class,
      CredentialCommands.Edit.class,
      CredentialCommands.Remove.class
    })
final class CredentialCommands {

  private static final String VARIABLE = "BARGELANE_SECRET";

  private static void print(Common c, JsonNode rows) {
    rows(
        c.out(),
        c.output,
        rows,
        "No credentials yet. Store one: bargelane credential add NAME --type key --account ACCOUNT"
            + " --secret-file FILE",
        text("NAME", "name"),
        text("TYPE", "type"),
        text("ACCOUNT", "account"),
        text("USED BY", "sites"),
        time("CHANGED", "changedAt"));
  }

  @Command(
      name = "list",
      description = "List credentials, without their secrets.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane credential list"})
  static final class ListCredentials extends Common implements Callable<Integer> {
    @Override
    public Integer call() {
      print(this, api().get("/credentials"));
      return 0;
    }
  }

  @Command(
      name = "add",
      description = "Store a credential. Its secret is read from a file or from BARGELANE_SECRET.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane credential add scouts --type key --account scout --secret-file scout-key"
      })
  static final class Add extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "CREDENTIAL", description = "Name to give it.")
    String name;

    @Option(
        names = "--type",
        defaultValue = "password",
        description = "token, password or key (a private key without a passphrase).")
    String type;

    @Option(
        names = "--account",
        defaultValue = "",
        description = "Who we are with a password or a key.")
    String account;

    @Option(names = "--secret-file", description = "File with the secret.")
    Path secretFile;

    @Override
    public Integer call() {
      Map<String, Object> body = new LinkedHashMap<>();
      body.put("name", name);
      body.put("type", type);
      body.put("account", account);
      body.put("secret", secret("--secret-file", secretFile, VARIABLE));
      api().post("/credentials", body);
      out().println("Credential " + name + " stored.");
      return 0;
    }
  }

  @Command(
      name = "edit",
      description = "Replace a credential's secret, and check the sites that use it.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane credential edit mill-street --secret-file token"})
  static final class Edit extends Common implements Callable<Integer> {
    @Parameters(
        index = "0",
        paramLabel = "CREDENTIAL",
        description = "Name or id; that of a site's own token is the site's.")
    String name;

    @Option(names = "--secret-file", description = "File with the new secret.")
    Path secretFile;

    @Override
    public Integer call() {
      JsonNode edited =
          api()
              .put(
                  "/credentials/" + escape(name),
                  Map.of("secret", secret("--secret-file", secretFile, VARIABLE)));
      int code = 0;
      for (JsonNode site : edited.path("sites")) {
        code =
            Math.max(
                code,
                SitePrinter.print(
                    this, api().post("/sites/" + escape(site.asText()) + "/check", null)));
      }
      if (edited.path("sites").isEmpty()) {
        out().println("Credential " + name + " has its new secret; no site uses it.");
      }
      return code;
    }
  }

  @Command(
      name = "remove",
      description = "Remove a credential that no site uses.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane credential remove old-scouts"})
  static final class Remove extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "CREDENTIAL", description = "Name or id.")
    String name;

    @Override
    public Integer call() {
      api().delete("/credentials/" + escape(name));
      out().println("Credential " + name + " removed.");
      return 0;
    }
  }
}
