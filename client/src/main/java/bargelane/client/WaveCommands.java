package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
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
      WaveCommands.Load.class,
      RefitCommand.class,
      WaveCommands.Test.class,
      WaveCommands.Cutover.class,
      WaveCommands.Failback.class,
      WaveCommands.Failover.class,
      WaveCommands.Reconcile.class,
      WaveCommands.Undo.class,
      WaveCommands.Settle.class,
      WaveCommands.Passes.class,
      WaveCommands.Remove.class
    })
final class WaveCommands {

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
          text("STANDS AT", "stands"),
          number("MACHINES", "machines"),
          of("EXPOSURE", w -> seconds(w.path("exposureSeconds"))),
          of(
              "RPO",
              w ->
                  w.path("rpoSeconds").asInt()
                      + " s "
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
    @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
    String name;

    @Override
    public Integer call() {
      return WavePrinter.print(this, api().get("/waves/" + escape(name)));
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
        "  bargelane wave size lending lending-db --from-assessment as-2k9d7f"
      })
  static final class Size extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
    String name;

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
      return WavePrinter.print(this, api().put("/waves/" + escape(name) + "/size", body));
    }
  }

  @Command(
      name = "load",
      description = "Begin replication.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave load lending --wait"})
  static final class Load extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
    String name;

    @Option(names = "--wait", description = "Follow the run until it is over.")
    boolean wait;

    @Override
    public Integer call() {
      JsonNode run = api().post("/waves/" + escape(name) + "/load", null);
      return started(run, wait);
    }
  }

  @Command(
      name = "test",
      description = "Test cutover in an isolated network, from the newest or a chosen point.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave test lending --wait"})
  static final class Test extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
    String name;

    @Option(names = "--wait", description = "Follow the run until it is over.")
    boolean wait;

    @Option(names = "--point", defaultValue = "", description = "Number of a recovery point.")
    String point;

    @Option(names = "--hold", description = "Keep it until bargelane run finish.")
    boolean hold;

    @Override
    public Integer call() {
      JsonNode run =
          api().post("/waves/" + escape(name) + "/test", Map.of("point", point, "hold", hold));
      return started(run, wait);
    }
  }

  @Command(
      name = "cutover",
      description = "Move the machines to the target.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave cutover lending --confirm lending --wait"})
  static final class Cutover extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
    String name;

    @Option(names = "--wait", description = "Follow the run until it is over.")
    boolean wait;

    @Option(
        names = "--confirm",
        paramLabel = "NAME",
        description = "The name of the wave, typed, since this changes machines in production.")
    String confirm;

    @Option(
        names = "--override",
        defaultValue = "",
        paramLabel = "WHY",
        description = "Pass over shut gates, for this recorded reason.")
    String override;

    @Override
    public Integer call() {
      String typed = Confirm.ask(this, name, confirm);
      JsonNode run =
          api()
              .post(
                  "/waves/" + escape(name) + "/cutover",
                  Map.of("confirm", typed, "override", override));
      return started(run, wait);
    }
  }

  @Command(
      name = "failback",
      description = "Bring the machines back.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave failback lending --confirm lending --wait"})
  static final class Failback extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
    String name;

    @Option(names = "--wait", description = "Follow the run until it is over.")
    boolean wait;

    @Option(
        names = "--confirm",
        paramLabel = "NAME",
        description = "The name of the wave, typed, since this changes machines in production.")
    String confirm;

    @Option(
        names = "--override",
        defaultValue = "",
        paramLabel = "WHY",
        description = "Pass over shut gates, for this recorded reason.")
    String override;

    @Override
    public Integer call() {
      String typed = Confirm.ask(this, name, confirm);
      JsonNode run =
          api()
              .post(
                  "/waves/" + escape(name) + "/failback",
                  Map.of("confirm", typed, "override", override));
      return started(run, wait);
    }
  }

  @Command(
      name = "failover",
      description = "Start a recovery point when the source is lost.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane wave failover lending --source-lost --confirm lending --wait"
      })
  static final class Failover extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
    String name;

    @Option(names = "--wait", description = "Follow the run until it is over.")
    boolean wait;

    @Option(
        names = "--confirm",
        paramLabel = "NAME",
        description = "The name of the wave, typed, since this changes machines in production.")
    String confirm;

    @Option(
        names = "--point",
        defaultValue = "",
        description = "Number of an older recovery point.")
    String point;

    @Option(
        names = "--source-lost",
        description = "Declare the source lost where it can not be reached.")
    boolean lost;

    @Override
    public Integer call() {
      String typed = Confirm.ask(this, name, confirm);
      JsonNode run =
          api()
              .post(
                  "/waves/" + escape(name) + "/failover",
                  Map.of("confirm", typed, "point", point, "sourceLost", lost));
      return started(run, wait);
    }
  }

  @Command(
      name = "reconcile",
      description =
          "After a failover: fence the side that came back, show how the sides differ, keep one.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane wave reconcile lending --keep saltmarsh --confirm lending --wait"
      })
  static final class Reconcile extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
    String name;

    @Option(names = "--wait", description = "Follow the run until it is over.")
    boolean wait;

    @Option(
        names = "--confirm",
        paramLabel = "NAME",
        description = "The name of the wave, typed, since this changes machines in production.")
    String confirm;

    @Option(
        names = "--keep",
        defaultValue = "",
        paramLabel = "SITE",
        description = "Site whose machines run on; without it the divergence is only measured.")
    String keep;

    @Override
    public Integer call() {
      String typed = keep.isEmpty() ? "" : Confirm.ask(this, name, confirm);
      JsonNode run =
          api()
              .post(
                  "/waves/" + escape(name) + "/reconcile", Map.of("keep", keep, "confirm", typed));
      return started(run, wait);
    }
  }

  @Command(
      name = "undo",
      description = "Take the last cutover or failback back.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave undo lending --confirm lending --wait"})
  static final class Undo extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
    String name;

    @Option(names = "--wait", description = "Follow the run until it is over.")
    boolean wait;

    @Option(
        names = "--confirm",
        paramLabel = "NAME",
        description = "The name of the wave, typed, since this changes machines in production.")
    String confirm;

    @Override
    public Integer call() {
      String typed = Confirm.ask(this, name, confirm);
      JsonNode run = api().post("/waves/" + escape(name) + "/undo", Map.of("confirm", typed));
      return started(run, wait);
    }
  }

  @Command(
      name = "settle",
      description = "Close the move and remove everything of ours.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave settle lending --confirm lending --wait"})
  static final class Settle extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
    String name;

    @Option(names = "--wait", description = "Follow the run until it is over.")
    boolean wait;

    @Option(
        names = "--confirm",
        paramLabel = "NAME",
        description = "The name of the wave, typed, since this changes machines in production.")
    String confirm;

    @Override
    public Integer call() {
      String typed = Confirm.ask(this, name, confirm);
      JsonNode run = api().post("/waves/" + escape(name) + "/settle", Map.of("confirm", typed));
      return started(run, wait);
    }
  }

  @Command(
      name = "passes",
      description = "List passes, newest first.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave passes lending"})
  static final class Passes extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
    String name;

    @Override
    public Integer call() {
      rows(
          out(),
          output,
          api().get("/waves/" + escape(name) + "/passes"),
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
      description = "Remove a wave that was never loaded.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave remove lending"})
  static final class Remove extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
    String name;

    @Override
    public Integer call() {
      api().delete("/waves/" + escape(name));
      out().println("Wave " + name + " removed.");
      return 0;
    }
  }
}
