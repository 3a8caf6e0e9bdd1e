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

/** Start a recovery point when the source is lost. */
@Command(
    name = "failover",
    description = "Start a recovery point when the source is lost.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane wave failover lending --source-lost --confirm lending --wait"
    })
final class Failover extends Common implements Callable<Integer> {
  @Mixin OfWave wave;
  @Mixin Waiting waiting;
  @Mixin Confirming confirming;

  @Option(
      names = "--point",
      paramLabel = "POINT",
      defaultValue = "",
      description = "Number of an older recovery point.")
  String point;

  @Option(
      names = "--source-lost",
      description = "Declare the source lost where it can not be reached.")
  boolean lost;

  @Override
  public Integer call() {
    String typed = confirming.ask(this, wave.name);
    return started(
        api()
            .post(
                wave.path("/failover"),
                Map.of("confirm", typed, "point", point, "sourceLost", lost),
                RunView.class),
        waiting.wait);
  }
}
