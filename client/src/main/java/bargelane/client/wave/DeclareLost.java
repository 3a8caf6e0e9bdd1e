package bargelane.client.wave;

import bargelane.client.Common;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

/** Say that a site will not be back. */
@Command(
    name = "declare-lost",
    description =
        "Say that a site will not be back, so that a move that is being backed out stops waiting for it.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Should the site come back, what was started there is stopped and fenced before anything else.",
      "",
      "Example:",
      "  bargelane wave declare-lost lending --site saltmarsh --confirm lending"
    })
final class DeclareLost extends Common implements Callable<Integer> {
  @Mixin OfWave wave;
  @Mixin Confirming confirming;

  @Option(names = "--site", required = true, paramLabel = "SITE", description = "The lost site.")
  String site;

  @Override
  public Integer call() {
    String typed = confirming.ask(this, wave.name);
    api().post(wave.path("/declare-lost"), Map.of("site", site, "confirm", typed));
    out().println("What was made at " + site + " for " + wave.name + " is declared lost.");
    return 0;
  }
}
