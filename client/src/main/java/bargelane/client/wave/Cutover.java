package bargelane.client.wave;

import static bargelane.client.Output.*;

import bargelane.api.RunView;
import bargelane.client.Common;
import bargelane.client.Waiting;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

/** Move the machines to the target. */
@Command(
    name = "cutover",
    description = "Move the machines to the target.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane wave cutover lending --confirm lending --wait"})
final class Cutover extends Common implements Callable<Integer> {
  @Mixin OfWave wave;
  @Mixin Waiting waiting;
  @Mixin Confirming confirming;

  @Option(
      names = "--override",
      defaultValue = "",
      paramLabel = "WHY",
      description = "Pass over shut gates, for this recorded reason.")
  String override;

  @Override
  public Integer call() {
    String typed = confirming.ask(this, wave.name);
    return started(
        api()
            .post(
                wave.path("/cutover"),
                Map.of("confirm", typed, "override", override),
                RunView.class),
        waiting.wait);
  }
}
