package bargelane.client;

import static bargelane.client.Output.*;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Waves: machines that move on one evening. */
@Command(
    name = "wave",
    description = "Waves: machines that move on one evening.",
    mixinStandardHelpOptions = true,
    subcommands = {
      WaveCommands.ListWaves.class,
      WaveCommands.Show.class,
      WaveCommands.Add.class,
      WaveCommands.Size.class,
      WaveMoves.Load.class,
      RefitCommand.class,
      WaveMoves.Test.class,
      WaveMoves.Cutover.class,
      WaveMoves.Failback.class,
      WaveMoves.Failover.class,
      WaveMoves.Reconcile.class,
      WaveMoves.Undo.class,
      WaveMoves.Settle.class,
      WaveCommands.Pass.class,
      WaveCommands.Passes.class,
      WaveCommands.Remove.class
    })
final class WaveCommands {

  private WaveCommands() {}

  @Command(
      name = "list",
      description = "List waves.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave list"})
  static final class ListWaves extends Common implements Callable<Integer> {

    @Override
    public Integer call() {
      rows(
          out(),
          output,
          api().get("/waves"),
          "No waves yet. Plan one: bargelane wave add NAME --lane LANE --timetable TIMETABLE --machine NAME=RANK",
          text("NAME", "name"),
          text("STATE", "state"),
          text("FROM", "from"),
          text("TO", "to"),
          text("RUNS AT", "stands"),
          number("MACHINES", "machines"),
          of("EXPOSURE", w -> seconds(w.path("exposureSeconds"))),
          of(
              "RPO",
              w ->
                  seconds(w.path("rpoSeconds"))
                      + " "
                      + (w.path("rpoHeld").asBoolean()
                          ? "held"
                          : w.path("protectedNow").asBoolean() ? "not held" : "")),
          text("NEXT", "nextAction"));
      return 0;
    }
  }

  @Command(
      name = "show",
      description = "Show a wave: gates, exposure, passes, points.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave show lending"})
  static final class Show extends Common implements Callable<Integer> {
    @Mixin OfWave wave;

    @Override
    public Integer call() {
      return WavePrinter.print(this, api().get(wave.path("")));
    }
  }

  @Command(
      name = "add",
      description = "Plan a wave.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane wave add lending --lane mill-to-marsh --timetable brisk --machine lending-db=1 --machine lending-app=2"
      })
  static final class Add extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "WAVE", description = "Name to give it.")
    String name;

    @Option(names = "--lane", required = true, description = "Lane it moves on.")
    String lane;

    @Option(names = "--timetable", required = true, description = "Timetable of its replication.")
    String timetable;

    @Option(
        names = "--machine",
        required = true,
        paramLabel = "NAME=RANK",
        description = "Machine with its start order; may be repeated.")
    Map<String, Integer> machines;

    @Override
    public Integer call() {
      List<Map<String, Object>> members = new ArrayList<>();
      machines.forEach((m, rank) -> members.add(Map.of("machine", m, "rank", rank)));
      return WavePrinter.print(
          this,
          api()
              .post(
                  "/waves",
                  Map.of("name", name, "lane", lane, "timetable", timetable, "machines", members)));
    }
  }

  @Command(
      name = "size",
      description = "Choose a machine size: by hand, or as an assessment found it.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane wave size lending lending-db --from-assessment estate"
      })
  static final class Size extends Common implements Callable<Integer> {
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
      return WavePrinter.print(this, api().put(wave.path("/size"), body));
    }
  }

  @Command(
      name = "passes",
      description = "List passes, newest first.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave passes lending"})
  static final class Passes extends Common implements Callable<Integer> {
    @Mixin OfWave wave;

    @Override
    public Integer call() {
      rows(
          out(),
          output,
          api().get(wave.path("/passes")),
          "No passes yet.",
          number("NO", "number"),
          text("KIND", "kind"),
          text("STATE", "state"),
          time("AS OF", "asOf"),
          bytes("LOOKED AT", "total"),
          bytes("READ", "read"),
          bytes("SENT", "sent"),
          text("PROBLEM", "problem"));
      return 0;
    }
  }

  @Command(
      name = "remove",
      description = "Remove a wave that has no recovery point.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave remove lending"})
  static final class Remove extends Common implements Callable<Integer> {
    @Mixin OfWave wave;

    @Override
    public Integer call() {
      api().delete(wave.path(""));
      out().println("Wave " + wave.name + " removed.");
      return 0;
    }
  }

  @Command(
      name = "pass",
      description = "Make a pass now, without waiting for the timetable.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave pass lending --wait"})
  static final class Pass extends Common implements Callable<Integer> {
    @Mixin OfWave wave;
    @Mixin Waiting waiting;

    @Override
    public Integer call() {
      return started(api().post(wave.path("/passes"), null), waiting.wait);
    }
  }
}
