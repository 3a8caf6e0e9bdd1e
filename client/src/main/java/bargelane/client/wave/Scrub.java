package bargelane.client.wave;

import static bargelane.client.Output.*;

import bargelane.api.RunView;
import bargelane.client.Common;
import bargelane.client.Waiting;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;

/** Hold the copies at the target against their digests now. */
@Command(
    name = "scrub",
    description =
        "Read the newest point's disks at the target and hold them against their digests. Runs when tugs have nothing else to do; every leg is scrubbed once in 7 days without being asked.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane wave scrub lending --wait"})
final class Scrub extends Common implements Callable<Integer> {
  @Mixin OfWave wave;
  @Mixin Waiting waiting;

  @Override
  public Integer call() {
    return started(api().post(wave.path("/scrub"), null, RunView.class), waiting.wait);
  }
}
