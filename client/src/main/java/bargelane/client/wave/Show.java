package bargelane.client.wave;

import static bargelane.client.Output.*;

import bargelane.api.WaveView;
import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;

/** Show a wave: gates, exposure, passes, points. */
@Command(
    name = "show",
    description = "Show a wave: gates, exposure, passes, points.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane wave show lending"})
final class Show extends Common implements Callable<Integer> {
  @Mixin OfWave wave;

  @Override
  public Integer call() {
    return WavePrinter.print(this, api().get(wave.path(""), WaveView.class));
  }
}
