package bargelane.client.wave;

import static bargelane.client.Output.*;

import bargelane.api.WaveView;
import bargelane.client.Common;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Choose a machine size: by hand, or as an assessment found it. */
@Command(
    name = "size",
    description = "Choose a machine size: by hand, or as an assessment found it.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane wave size lending lending-db --from-assessment estate"})
final class Size extends Common implements Callable<Integer> {
  @Mixin OfWave wave;

  @Parameters(index = "1", paramLabel = "MACHINE", description = "Machine of the wave.")
  String machine;

  @Parameters(index = "2", arity = "0..1", paramLabel = "SIZE", description = "Size, by hand.")
  String size;

  @Option(
      names = "--from-assessment",
      paramLabel = "ID",
      description = "Take the size of this assessment.")
  String assessment;

  @Override
  public Integer call() {
    Map<String, Object> body = new LinkedHashMap<>();
    body.put("machine", machine);
    body.put("size", size);
    body.put("assessment", assessment);
    return WavePrinter.print(this, api().put(wave.path("/size"), body, WaveView.class));
  }
}
