package bargelane.client.token;

import bargelane.api.TokenAdd;
import bargelane.api.TokenAdded;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import java.time.Duration;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Make a token for a program or a tug. Its secret is printed once, alone on its line. */
@Command(
    name = "add",
    description = "Make a token for a program or a tug. Its secret is printed once.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane token add graphs --role reader --valid 30d",
      "  bargelane token add far-tug --tug far-tug"
    })
final class Add extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "NAME", description = "What it is for.")
  String name;

  @Option(
      names = "--account",
      paramLabel = "ACCOUNT",
      description = "Whose it is, if you are a keeper (default: your own).")
  String account;

  @Option(
      names = "--role",
      paramLabel = "ROLE",
      description =
          "What it may do, of what its account may; may be given several times (default: all).")
  List<String> roles;

  @Option(
      names = "--valid",
      paramLabel = "TIME",
      description = "How long it is valid, 366d at most (default: 90d).")
  Duration valid;

  @Option(
      names = "--tug",
      paramLabel = "TUG",
      description = "Make it a token that only the tug of this name can use, for its own leases.")
  String tug;

  @Override
  public Integer call() {
    Answer<TokenAdded> added =
        api()
            .post(
                "/tokens",
                new TokenAdd(name, account, roles, valid == null ? null : valid.toSeconds(), tug),
                TokenAdded.class);
    if (output == Output.Form.json) {
      Output.json(out(), added.json());
      return 0;
    }
    err()
        .println(
            "Token "
                + added.value().token().id()
                + " of "
                + added.value().token().account()
                + " for "
                + String.join(", ", added.value().token().roles())
                + "; its secret, told this once:");
    out().println(added.value().secret());
    return 0;
  }
}
