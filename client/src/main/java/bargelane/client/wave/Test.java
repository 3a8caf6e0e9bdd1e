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

/** Test cutover in an isolated network, from the newest or a chosen point. */
@Command(
    name = "test",
    description = "Test cutover in an isolated network, from the newest or a chosen point.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane wave test lending --wait"})
final class Test extends Common implements Callable<Integer> {
  @Mixin OfWave wave;
  @Mixin Waiting waiting;

  @Option(
      names = "--point",
      paramLabel = "POINT",
      defaultValue = "",
      description = "Number of a recovery point.")
  String point;

  @Option(names = "--hold", description = "Keep it until bargelane run finish.")
  boolean hold;

  @Override
  public Integer call() {
    return started(
        api().post(wave.path("/test"), Map.of("point", point, "hold", hold), RunView.class),
        waiting.wait);
  }
}
