package bargelane.client;

import static bargelane.client.Output.*;

import java.time.Duration;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Timetables: what replication must keep. */
@Command(
    name = "timetable",
    description = "Timetables: what replication must keep.",
    mixinStandardHelpOptions = true,
    subcommands = {TimetableCommands.ListTimetables.class, TimetableCommands.Add.class})
final class TimetableCommands {

  @Command(
      name = "list",
      description = "List timetables.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane timetable list"})
  static final class ListTimetables extends Common implements Callable<Integer> {

    @Override
    public Integer call() {
      rows(
          out(),
          output,
          api().get("/timetables"),
          "No timetables yet.",
          text("NAME", "name"),
          of("EVERY", t -> seconds(t.path("everySeconds"))),
          of("RPO", t -> seconds(t.path("rpoSeconds"))),
          number("POINTS KEPT", "keepPoints"),
          text("VERIFIED", "verify"),
          text("QUIESCED", "quiesce"));
      return 0;
    }
  }

  @Command(
      name = "add",
      description = "Add a timetable.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane timetable add brisk --every 15s --rpo 1m --keep 6"})
  static final class Add extends Common implements Callable<Integer> {
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
        description = "Read back what is written.")
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
}
