package bargelane.client.agent;

import static bargelane.client.Output.*;

import bargelane.api.AgentKeyView;
import bargelane.client.Answer;
import bargelane.client.Common;
import java.time.Duration;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Make the line to paste on one machine: it is good once, for some time. */
@Command(
    name = "key",
    description = "Make the line to paste on one machine: it is good once, for some time.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane agent key annexes --valid 4h"})
final class Key extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
  String site;

  @Option(
      names = "--valid",
      paramLabel = "DURATION",
      defaultValue = "1h",
      description = "How long the key is good, up to 7d (default: 1h).")
  Duration valid;

  @Override
  public Integer call() {
    Answer<AgentKeyView> made =
        api()
            .post(
                "/sites/" + escape(site) + "/agents/keys",
                Map.of("validSeconds", valid.toSeconds()),
                AgentKeyView.class);
    if (output == Form.json) {
      json(out(), made.json());
    } else {
      out()
          .println(
              "Paste this on the machine, once, before "
                  + local(made.value().expiresAt())
                  + ", as root or as an ordinary account:");
      out().println();
      out().println(made.value().line());
    }
    return 0;
  }
}
