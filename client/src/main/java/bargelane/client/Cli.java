package bargelane.client;

import bargelane.api.Problem;
import bargelane.client.account.AccountCommands;
import bargelane.client.agent.AgentCommands;
import bargelane.client.approval.ApprovalCommands;
import bargelane.client.assessment.AssessmentCommands;
import bargelane.client.audit.AuditCommands;
import bargelane.client.book.BookCommands;
import bargelane.client.connection.ConnectionCommands;
import bargelane.client.credential.CredentialCommands;
import bargelane.client.dossier.DossierCommands;
import bargelane.client.estate.EstateCommands;
import bargelane.client.event.EventCommands;
import bargelane.client.finding.FindingCommands;
import bargelane.client.fitness.FitnessCommands;
import bargelane.client.key.KeyCommands;
import bargelane.client.label.LabelCommands;
import bargelane.client.lane.LaneCommands;
import bargelane.client.machine.MachineCommands;
import bargelane.client.node.NodeCommands;
import bargelane.client.point.PointCommands;
import bargelane.client.run.RunCommands;
import bargelane.client.server.ServerCommands;
import bargelane.client.signin.SignInCommands;
import bargelane.client.site.SiteCommands;
import bargelane.client.timetable.TimetableCommands;
import bargelane.client.token.TokenCommands;
import bargelane.client.tug.TugCommands;
import bargelane.client.usage.UsageCommands;
import bargelane.client.wave.WaveCommands;
import bargelane.text.Durations;
import java.io.PrintWriter;
import java.time.Duration;
import picocli.CommandLine;
import picocli.CommandLine.Command;

/** The command line: {@code bargelane NOUN VERB [NAME]}. */
@Command(
    name = "bargelane",
    description =
        "Takes virtual machines from where they run to where they should run next, and back.",
    mixinStandardHelpOptions = true,
    version = Cli.VERSION,
    subcommands = {
      SiteCommands.class,
      CredentialCommands.class,
      ServerCommands.class,
      AgentCommands.class,
      TugCommands.class,
      NodeCommands.class,
      FindingCommands.class,
      MachineCommands.class,
      LabelCommands.class,
      UsageCommands.class,
      ConnectionCommands.class,
      AssessmentCommands.class,
      BookCommands.class,
      FitnessCommands.class,
      LaneCommands.class,
      TimetableCommands.class,
      WaveCommands.class,
      EstateCommands.class,
      PointCommands.class,
      RunCommands.class,
      ApprovalCommands.class,
      DossierCommands.class,
      EventCommands.class,
      AccountCommands.class,
      TokenCommands.class,
      SignInCommands.class,
      AuditCommands.class,
      KeyCommands.class,
      Completion.class,
      Manual.class,
      Completion.Words.class
    },
    footer = {"", "Example:", "  bargelane wave show lending"})
public final class Cli {

  static final String VERSION = "0.1.0";

  /** What a command ends with, and when. */
  static final String[][] EXIT_CODES = {
    {"0", "Done."},
    {"1", "The work failed, or a check found something."},
    {"2", "Wrong usage."},
    {"3", "The service is not reachable."},
    {"4", "Not allowed."}
  };

  /** The command line, with errors told as thing, cause and next step. */
  public static CommandLine commandLine() {
    CommandLine line = new CommandLine(new Cli());
    line.registerConverter(
        Duration.class,
        text -> {
          try {
            return Durations.parse(text);
          } catch (IllegalArgumentException e) {
            throw new CommandLine.TypeConversionException(e.getMessage());
          }
        });
    line.setExecutionStrategy(
        parsed -> {
          for (CommandLine one : parsed.asCommandLineList()) {
            // Before anything is done.
            if (one.getCommand() instanceof Common c
                && c.output == Output.Form.csv
                && !(c instanceof Tabled rows && rows.tabled())) {
              throw new CommandLine.ParameterException(
                  one,
                  "'"
                      + one.getCommandSpec().qualifiedName()
                      + "' prints text, which is no table: leave out --output csv, or give --output json");
            }
          }
          return new CommandLine.RunLast().execute(parsed);
        });
    line.setExecutionExceptionHandler(
        (e, command, parsed) -> {
          PrintWriter err = command.getErr();
          if (e instanceof ApiClient.ProblemException p) {
            Problem problem = p.problem();
            err.println("Error: " + problem.detail() + " (" + problem.code() + ")");
            if (problem.remedy() != null && !problem.remedy().none()) {
              err.println("Next:  " + Remedies.text(problem.remedy()));
            }
            return problem.status() == 401 || problem.status() == 403
                ? 4
                : problem.status() == 400 || problem.status() == 422 ? 2 : 1;
          }
          if (e instanceof Common.UsageException) {
            err.println("Error: " + e.getMessage());
            return 2;
          }
          if (e instanceof ApiClient.UntrustedException u) {
            err.println("Error: " + u.getMessage());
            err.println("Next:  " + u.remedy());
            return 3;
          }
          if (e instanceof ApiClient.UnreachableException
              || e instanceof Common.NoServiceException) {
            err.println("Error: " + e.getMessage());
            err.println("Next:  see whether it runs: ./bargelane status");
            return 3;
          }
          err.println("Error: " + (e.getMessage() == null ? e.toString() : e.getMessage()));
          return 1;
        });
    return line;
  }

  public static void main(String[] args) {
    System.exit(commandLine().execute(args));
  }
}
