package bargelane.client.wave;

import static bargelane.client.Output.*;

import bargelane.api.RunView;
import bargelane.client.Common;
import bargelane.client.Waiting;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;

/** Take the last cutover or failback back. */
@Command(
    name = "undo",
    description = "Take the last cutover or failback back.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane wave undo lending --confirm lending --wait"})
final class Undo extends Common implements Callable<Integer> {
  @Mixin OfWave wave;
  @Mixin Waiting waiting;
  @Mixin Confirming confirming;

  @Override
  public Integer call() {
    String typed = confirming.ask(this, wave.name);
    return started(
        api().post(wave.path("/undo"), Map.of("confirm", typed), RunView.class), waiting.wait);
  }
}
