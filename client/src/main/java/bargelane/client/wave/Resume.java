package bargelane.client.wave;

import bargelane.api.WaveView;
import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;

/** Let the passes of a wave's timetable go on. */
@Command(
    name = "resume",
    description = "Let the passes of a wave's timetable go on.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane wave resume lending"})
final class Resume extends Common implements Callable<Integer> {
  @Mixin OfWave wave;

  @Override
  public Integer call() {
    WaveView now = api().post(wave.path("/resume"), null, WaveView.class).value();
    out().println("Replication of " + now.name() + " goes on by its timetable.");
    return 0;
  }
}
