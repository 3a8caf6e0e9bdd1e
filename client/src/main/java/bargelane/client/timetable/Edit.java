package bargelane.client.timetable;

import static bargelane.client.Output.*;

import bargelane.api.TimetableEdit;
import bargelane.api.TimetableView;
import bargelane.client.Common;
import bargelane.client.Output;
import java.time.Duration;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Change a timetable. */
@Command(
    name = "edit",
    description = "Change a timetable; what is left out stays. Its waves follow at once.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane timetable edit brisk --every 5m --rpo 15m"})
final class Edit extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "TIMETABLE", description = "Name or id.")
  String name;

  @Option(
      names = "--every",
      paramLabel = "DURATION",
      description = "From one pass to the next, such as 15s or 5m.")
  Duration every;

  @Option(
      names = "--rpo",
      paramLabel = "DURATION",
      description = "Bound of the exposure, such as 60s or 1h.")
  Duration rpo;

  @Option(names = "--keep", paramLabel = "POINTS", description = "Recovery points to keep.")
  Integer keep;

  @Option(
      names = "--verify",
      negatable = true,
      description = "Verify what is written, once it is flushed.")
  Boolean verify;

  @Option(
      names = "--quiesce",
      negatable = true,
      description = "Have guests with an agent hold their writes for the instant of a snapshot.")
  Boolean quiesce;

  private static Integer seconds(Duration asked) {
    return asked == null ? null : Math.toIntExact(asked.toSeconds());
  }

  @Override
  public Integer call() {
    TimetableView now =
        api()
            .put(
                "/timetables/" + escape(name),
                new TimetableEdit(seconds(every), seconds(rpo), keep, verify, quiesce),
                TimetableView.class)
            .value();
    out()
        .println(
            "Timetable "
                + now.name()
                + ": a pass every "
                + Output.seconds(now.everySeconds())
                + ", RPO "
                + Output.seconds(now.rpoSeconds())
                + ", "
                + now.keepPoints()
                + " points kept"
                + (now.verify() ? ", verified" : ", not verified")
                + (now.quiesce() ? ", quiesced." : ", not quiesced."));
    return 0;
  }
}
