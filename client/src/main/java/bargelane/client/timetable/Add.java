package bargelane.client.timetable;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import java.time.Duration;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Add a timetable. */
@Command(
    name = "add",
    description = "Add a timetable.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane timetable add brisk --every 15s --rpo 1m --keep 6"})
final class Add extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "TIMETABLE", description = "Name to give it.")
  String name;

  @Option(
      names = "--every",
      required = true,
      paramLabel = "DURATION",
      description = "From one pass to the next, such as 15s or 5m.")
  Duration every;

  @Option(
      names = "--rpo",
      required = true,
      paramLabel = "DURATION",
      description = "Bound of the exposure, such as 60s or 1h.")
  Duration rpo;

  @Option(
      names = "--keep",
      required = true,
      paramLabel = "POINTS",
      description = "Recovery points to keep.")
  int keep;

  @Option(
      names = "--verify",
      negatable = true,
      defaultValue = "true",
      fallbackValue = "true",
      description = "Verify what is written, once it is flushed")
  boolean verify;

  @Option(
      names = "--quiesce",
      negatable = true,
      defaultValue = "true",
      fallbackValue = "true",
      description = "Have guests with an agent hold their writes for the instant of a snapshot.")
  boolean quiesce;

  @Override
  public Integer call() {
    api()
        .post(
            "/timetables",
            Map.of(
                "name",
                name,
                "everySeconds",
                every.toSeconds(),
                "rpoSeconds",
                rpo.toSeconds(),
                "keepPoints",
                keep,
                "verify",
                verify,
                "quiesce",
                quiesce));
    out().println("Timetable " + name + " added.");
    return 0;
  }
}
