package bargelane.client.wave;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;

/** Remove a wave that has no recovery point. */
@Command(
    name = "remove",
    description = "Remove a wave that has no recovery point.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane wave remove lending"})
final class Remove extends Common implements Callable<Integer> {
  @Mixin OfWave wave;

  @Override
  public Integer call() {
    api().delete(wave.path(""));
    out().println("Wave " + wave.name + " removed.");
    return 0;
  }
}
