package bargelane.client;

import static bargelane.client.Output.*;

import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Assessments: what machines need at a target, and what the month costs. */
@Command(
    name = "assessment",
    description = "Assessments: what machines need at a target, and what the month costs.",
    mixinStandardHelpOptions = true,
    subcommands = {
      AssessmentCommands.ListAssessments.class,
      AssessmentCommands.Add.class,
      AssessmentCommands.Show.class
    })
final class AssessmentCommands {

  @Command(
      name = "list",
      description = "List assessments.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane assessment list"})
  static final class ListAssessments extends Common implements Callable<Integer> {

    @Override
    public Integer call() {
      rows(
          out(),
          output,
          api().get("/assessments"),
          "No assessments yet.",
          text("ID", "id"),
          text("TARGET", "target"),
          text("BASIS", "basis"),
          time("AT", "at"),
          number("MONTHLY", "monthly"),
          text("CURRENCY", "currency"));
      return 0;
    }
  }

  @Command(
      name = "add",
      description = "Assess machines on the configured basis.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane assessment add --target saltmarsh lending-db lending-app"
      })
  static final class Add extends Common implements Callable<Integer> {
    @Parameters(paramLabel = "MACHINE", arity = "1..*", description = "Machines by name or id.")
    List<String> machines;

    @Option(names = "--target", required = true, description = "Site to assess them for.")
    String target;

    @Override
    public Integer call() {
      return AssessmentPrinter.print(
          this, api().post("/assessments", Map.of("machines", machines, "target", target)));
    }
  }

  @Command(
      name = "show",
      description = "Show an assessment with its derivation.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane assessment show as-2k9d7f"})
  static final class Show extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "ASSESSMENT", description = "Id.")
    String name;

    @Override
    public Integer call() {
      return AssessmentPrinter.print(this, api().get("/assessments/" + escape(name)));
    }
  }
}
