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

/** Bring the machines back. */
@Command(
    name = "failback",
    description = "Bring the machines back.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane wave failback lending --confirm lending --wait"})
final class Failback extends Common implements Callable<Integer> {
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
                wave.path("/failback"),
                Map.of("confirm", typed, "override", override),
                RunView.class),
        waiting.wait);
  }
}
