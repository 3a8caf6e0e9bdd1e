package bargelane.client.wave;

import bargelane.api.WaveView;
import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;

/** Hold back the passes of a wave's timetable. */
@Command(
    name = "pause",
    description = "Hold back the passes of a wave's timetable.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane wave pause lending"})
final class Pause extends Common implements Callable<Integer> {
  @Mixin OfWave wave;

  @Override
  public Integer call() {
    WaveView now = api().post(wave.path("/pause"), null, WaveView.class).value();
    out()
        .println(
            "Replication of "
                + now.name()
                + " is paused; its markers track on. Go on: bargelane wave resume "
                + wave.name);
    return 0;
  }
}
