package bargelane.client.wave;

import static bargelane.client.Output.*;

import bargelane.api.RunView;
import bargelane.client.Common;
import bargelane.client.Waiting;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;

/** Make a pass now, without waiting for the timetable. */
@Command(
    name = "pass",
    description = "Make a pass now, without waiting for the timetable.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane wave pass lending --wait"})
final class Pass extends Common implements Callable<Integer> {
  @Mixin OfWave wave;
  @Mixin Waiting waiting;

  @Override
  public Integer call() {
    return started(api().post(wave.path("/passes"), null, RunView.class), waiting.wait);
  }
}
