package bargelane.client.wave;

import static bargelane.client.Output.*;

import bargelane.api.RunView;
import bargelane.client.Common;
import bargelane.client.Waiting;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;

/** Close the move and remove everything of ours. */
@Command(
    name = "settle",
    description = "Close the move and remove everything of ours.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane wave settle lending --confirm lending --wait"})
final class Settle extends Common implements Callable<Integer> {
  @Mixin OfWave wave;
  @Mixin Waiting waiting;
  @Mixin Confirming confirming;

  @Override
  public Integer call() {
    String typed = confirming.ask(this, wave.name);
    return started(
        api().post(wave.path("/settle"), Map.of("confirm", typed), RunView.class), waiting.wait);
  }
}
