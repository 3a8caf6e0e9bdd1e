package bargelane.client.wave;

import static bargelane.client.Output.*;

import bargelane.api.RunView;
import bargelane.client.Common;
import bargelane.client.Waiting;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

/** Make a pass now, without waiting for the timetable. */
@Command(
    name = "pass",
    description = "Make a pass now, without waiting for the timetable.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane wave pass lending --wait",
      "  bargelane wave pass lending --deep --wait"
    })
final class Pass extends Common implements Callable<Integer> {
  @Mixin OfWave wave;
  @Mixin Waiting waiting;

  @Option(
      names = "--deep",
      description =
          "Read every byte of source and copies and mend what differs; trust no digest. Takes as long as all that data takes to read.")
  boolean deep;

  @Override
  public Integer call() {
    return started(
        api().post(wave.path(deep ? "/passes?deep=true" : "/passes"), null, RunView.class),
        waiting.wait);
  }
}
