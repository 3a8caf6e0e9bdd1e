package bargelane.client.wave;

import static bargelane.client.Output.*;

import bargelane.api.RunView;
import bargelane.client.Common;
import bargelane.client.Waiting;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;

/** Begin replication. */
@Command(
    name = "load",
    description = "Begin replication.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane wave load lending --wait"})
final class Load extends Common implements Callable<Integer> {
  @Mixin OfWave wave;
  @Mixin Waiting waiting;

  @Override
  public Integer call() {
    return started(api().post(wave.path("/load"), null, RunView.class), waiting.wait);
  }
}
