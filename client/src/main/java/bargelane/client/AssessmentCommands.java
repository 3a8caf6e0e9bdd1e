package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import java.math.BigDecimal;
import java.nio.file.Path;
import java.time.Duration;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Assessments: what machines need at a target, whether they go, and what it costs. */
@Command(
    name = "assessment",
    description = "Assessments: what machines need at a target, whether they go, what it costs.",
    mixinStandardHelpOptions = true,
    subcommands = {
      AssessmentCommands.ListAssessments.class,
      AssessmentCommands.Add.class,
      AssessmentCommands.Edit.class,
      AssessmentCommands.Show.class,
      AssessmentCommands.Machines.class,
      AssessmentCommands.Machine.class,
      AssessmentCommands.Compare.class,
      AssessmentCommands.WhatIf.class,
      AssessmentCommands.Accept.class,
      AssessmentCommands.Costs.class,
      AssessmentCommands.Report.class,
      AssessmentCommands.Remove.class
    })
final class AssessmentCommands {

  /** Ten thousand machines take seconds, a grid over them tens. */
  private static final Duration LONG = Duration.ofMinutes(10);

  /** One assessment, and if wanted a revision of it. */
  abstract static class One extends Common {
    @Parameters(index = "0", paramLabel = "ASSESSMENT", description = "Name or id.")
    String name;

    @Option(names = "--revision", description = "Its number; the newest if left out.")
    int revision;

    String path(String more) {
      return "/assessments/" + escape(name) + more + "revision=" + revision;
    }
  }

  @Command(
      name = "list",
      description = "List assessments, the newest revision of each.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane assessment list"})
  static final class ListAssessments extends Common implements Callable<Integer> {

    @Override
    public Integer call() {
      rows(
          out(),
          output,
          api().get("/assessments"),
          "No assessments yet. Make one: bargelane assessment add --target SITE --filter \"site = SITE\"",
          text("NAME", "name"),
          of("TARGET", AssessmentPrinter::target),
          number("REVISION", "revision"),
          time("AT", "at"),
          number("MACHINES", "count"),
          of("CONFIGURED", a -> plain(a.path("configured").path("monthly"))),
          of("OBSERVED", a -> plain(a.path("observed").path("monthly"))),
          text("CURRENCY", "currency"));
      return 0;
    }
  }

  @Command(
      name = "add",
      description = "Assess machines for a target, on both bases.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane assessment add --target saltmarsh lending-db lending-app",
        "  bargelane assessment add --name estate --target saltmarsh --book saltmarsh-2026 --filter \"site = mill-street\""
      })
  static final class Add extends Common implements Callable<Integer> {
    @Parameters(paramLabel = "MACHINE", arity = "0..*", description = "Machines by name or id.")
    List<String> machines = List.of();

    @Option(names = "--filter", description = "Machines to assess; read anew for each revision.")
    String filter = "";

    @Option(names = "--name", description = "Its name.")
    String name = "";

    @Option(names = "--target", description = "Site to assess them for.")
    String target = "";

    @Option(names = "--book", description = "Price book; the target's own prices if left out.")
    String book = "";

    @Mixin AssumptionOptions assumptions;

    @Override
    public Integer call() {
      JsonNode made =
          api()
              .post(
                  "/assessments",
                  Map.of(
                      "name", name,
                      "machines", machines,
                      "filter", filter,
                      "target", target,
                      "book", book,
                      "assumptions", assumptions.given()),
                  LONG);
      return AssessmentPrinter.print(this, made);
    }
  }

  @Command(
      name = "edit",
      description = "Make a new revision with other assumptions; what is not given stays.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane assessment edit estate --headroom 40 --why \"the board wants room\""
      })
  static final class Edit extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "ASSESSMENT", description = "Name or id.")
    String name;

    @Option(names = "--why", description = "Why it is made.")
    String why = "";

    @Option(names = "--book", description = "Another price book; \"\" for the target's own prices.")
    String book;

    @Mixin AssumptionOptions assumptions;

    @Override
    public Integer call() {
      Map<String, Object> asked = new LinkedHashMap<>();
      asked.put("assumptions", assumptions.given());
      asked.put("why", why);
      if (book != null) {
        asked.put("book", book);
      }
      return AssessmentPrinter.print(
          this, api().post("/assessments/" + escape(name) + "/revisions", asked, LONG));
    }
  }

  @Command(
      name = "show",
      description = "Show a revision in sum.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane assessment show estate --revision 1"})
  static final class Show extends One implements Callable<Integer> {
    @Override
    public Integer call() {
      return AssessmentPrinter.print(this, api().get(path("?")));
    }
  }

  @Command(
      name = "machines",
      description = "The machines of a revision, both bases side by side.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane assessment machines estate --verdict \"goes after\" --sort -observed"
      })
  static final class Machines extends One implements Callable<Integer> {
    @Option(names = "--verdict", description = "goes, \"goes after\" or stays.")
    String verdict = "";

    @Option(names = "--reason", description = "A finding's code, as boot-legacy.")
    String reason = "";

    @Option(names = "--find", description = "Part of the machine's name.")
    String find = "";

    @Option(
        names = "--sort",
        description = "machine, verdict, configured, observed, saving or above; with - descending.")
    String sort = "machine";

    @Option(names = "--page", description = "From 0 on.")
    int page;

    @Option(names = "--size", description = "Lines of a page, up to 500.")
    int size = 100;

    @Override
    public Integer call() {
      JsonNode all =
          api()
              .get(
                  path("/machines?")
                      + "&verdict="
                      + escape(verdict)
                      + "&reason="
                      + escape(reason)
                      + "&name="
                      + escape(find)
                      + "&sort="
                      + escape(sort)
                      + "&page="
                      + page
                      + "&size="
                      + size);
      AssessmentPrinter.machines(this, all);
      return 0;
    }
  }

  @Command(
      name = "machine",
      description = "One machine of a revision, with how every figure came about.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane assessment machine estate overdue-notices"})
  static final class Machine extends One implements Callable<Integer> {
    @Parameters(index = "1", paramLabel = "MACHINE", description = "Name or id.")
    String machine;

    @Override
    public Integer call() {
      JsonNode m = api().get(path("/machines/" + escape(machine) + "?"));
      if (output == Form.json) {
        json(out(), m);
      } else {
        AssessmentPrinter.machine(this, m);
      }
      return 0;
    }
  }

  @Command(
      name = "compare",
      description = "Two revisions side by side, of one assessment or of two.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane assessment compare estate --from 1 --to 2",
        "  bargelane assessment compare estate --with estate-fenwater"
      })
  static final class Compare extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "ASSESSMENT", description = "Name or id.")
    String name;

    @Option(names = "--from", description = "The former revision; the newest if left out.")
    int from;

    @Option(names = "--to", description = "The latter revision; the newest if left out.")
    int to;

    @Option(names = "--with", description = "The assessment of the latter; the same if left out.")
    String with = "";

    @Option(names = "--basis", description = "configured or observed.")
    String basis = "observed";

    @Override
    public Integer call() {
      JsonNode c =
          api()
              .get(
                  "/assessments/"
                      + escape(name)
                      + "/comparison?from="
                      + from
                      + "&to="
                      + to
                      + "&with="
                      + escape(with)
                      + "&basis="
                      + escape(basis));
      AssessmentPrinter.comparison(this, c);
      return 0;
    }
  }

  @Command(
      name = "what-if",
      description = "Cost and machines above their size for every combination of choices.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane assessment what-if estate --percentiles 90,95,99,100 --headrooms 0,10,20,30"
      })
  static final class WhatIf extends One implements Callable<Integer> {
    @Option(names = "--percentiles", split = ",", description = "Percentiles of the samples.")
    List<Double> percentiles = List.of(50.0, 75.0, 90.0, 95.0, 99.0, 100.0);

    @Option(names = "--headrooms", split = ",", description = "Percent, of all resources alike.")
    List<Double> headrooms = List.of();

    @Option(names = "--commitments", split = ",", description = "none, \"1 year\", \"3 years\".")
    List<String> commitments = List.of();

    @Option(names = "--hours", split = ",", description = "Hours a week.")
    List<BigDecimal> hours = List.of();

    @Override
    public Integer call() {
      JsonNode grid =
          api()
              .post(
                  "/assessments/" + escape(name) + "/what-if",
                  Map.of(
                      "revision", revision,
                      "percentiles", percentiles,
                      "headrooms", headrooms,
                      "commitments", commitments,
                      "hoursAWeek", hours),
                  LONG);
      if (output == Form.json) {
        json(out(), grid);
        return 0;
      }
      rows(
          out(),
          output,
          grid.path("points"),
          "",
          of("PERCENTILE", p -> "P" + AssessmentPrinter.trim(p.path("percentile"))),
          of("HEADROOM", p -> AssessmentPrinter.trim(p.path("headroomPercent")) + " %"),
          text("COMMITMENT", "commitment"),
          number("HOURS A WEEK", "hoursAWeek"),
          number(grid.path("currency").asText() + " A MONTH", "monthly"),
          number("ABOVE THEIR SIZE", "above"),
          of("HOURS ABOVE", p -> AssessmentPrinter.one(p.path("aboveHours").asDouble())),
          number("UNSIZED", "unsized"),
          of("", p -> p.path("edge").asBoolean() ? "on the edge" : ""));
      if (output == Form.table) {
        out()
            .println(
                "Of the "
                    + grid.path("compared").asInt()
                    + " machines that have a size at every choice, of "
                    + grid.path("machines").asInt()
                    + ". On the edge: no other choice here is both cheaper and less often above.");
      }
      return 0;
    }
  }

  @Command(
      name = "accept",
      description = "Accept sizes: those of the named machines, or of all.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane assessment accept estate lending-db lending-app"})
  static final class Accept extends One implements Callable<Integer> {
    @Parameters(index = "1..*", paramLabel = "MACHINE", description = "Names or ids.")
    List<String> machines = List.of();

    @Option(names = "--basis", description = "configured or observed.")
    String basis = "";

    @Override
    public Integer call() {
      JsonNode done =
          api()
              .post(
                  "/assessments/" + escape(name) + "/accept",
                  Map.of("revision", revision, "basis", basis, "machines", machines),
                  LONG);
      if (output != Form.table) {
        json(out(), done);
        return 0;
      }
      out()
          .println(
              "Accepted the sizes of "
                  + done.path("accepted").asInt()
                  + " machines"
                  + (done.path("waves").isEmpty()
                      ? "."
                      : ", also in waves: " + join(done.path("waves"), ", ") + "."));
      if (!done.path("unsized").isEmpty()) {
        out().println("Without a size: " + join(done.path("unsized"), ", "));
      }
      return 0;
    }
  }

  @Command(
      name = "costs",
      description = "Every line of cost as CSV, to a file or to the terminal.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane assessment costs estate --form focus --file estate-focus.csv"
      })
  static final class Costs extends One implements Callable<Integer> {
    @Option(names = "--basis", description = "configured or observed.")
    String basis = "observed";

    @Option(names = "--form", description = "own, or focus for the columns of FOCUS 1.0.")
    String form = "own";

    @Option(names = "--file", description = "Where it is written.")
    Path file;

    @Override
    public Integer call() {
      String csv =
          api().text(path("/costs?") + "&basis=" + escape(basis) + "&form=" + escape(form));
      return AssessmentPrinter.keep(this, file, csv);
    }
  }

  @Command(
      name = "report",
      description = "A revision as one HTML page to print or to send.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane assessment report estate --file estate.html"})
  static final class Report extends One implements Callable<Integer> {
    @Option(names = "--file", description = "Where it is written.")
    Path file;

    @Override
    public Integer call() {
      return AssessmentPrinter.keep(this, file, api().text(path("/report?")));
    }
  }

  @Command(
      name = "remove",
      description = "Remove an assessment whose sizes nobody accepted, with all its revisions.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane assessment remove estate-fenwater"})
  static final class Remove extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "ASSESSMENT", description = "Name or id.")
    String name;

    @Override
    public Integer call() {
      api().delete("/assessments/" + escape(name));
      out().println("Removed the assessment " + name + ".");
      return 0;
    }
  }
}
