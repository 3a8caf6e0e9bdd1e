package bargelane.client;

import static bargelane.client.Output.*;

import java.nio.file.Path;
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
    subcommands = {CredentialCommands.Edit.class})
final class CredentialCommands {

  @Command(
      name = "edit",
      description = "Replace the token of a site and check it.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane credential edit mill-street --token-file token"})
  static final class Edit extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
    String name;

    @Option(names = "--token-file", description = "File with the new token.")
    Path tokenFile;

    @Override
    public Integer call() {
      return SitePrinter.print(
          this,
          api()
              .put(
                  "/sites/" + escape(name) + "/credential",
                  Map.of("token", secret(tokenFile, "SITE_TOKEN"))));
    }
  }
}
