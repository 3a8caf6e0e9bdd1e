package bargelane.client.assessment;

import static bargelane.client.Output.*;

import bargelane.api.AcceptResult;
import bargelane.client.Answer;
import bargelane.text.Counts;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Accept sizes: those of the named machines, or of all. */
@Command(
    name = "accept",
    description = "Accept sizes: those of the named machines, or of all.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane assessment accept estate lending-db lending-app"})
final class Accept extends OfAssessment implements Callable<Integer> {
  @Parameters(index = "1..*", paramLabel = "MACHINE", description = "Names or ids.")
  List<String> machines = List.of();

  @Option(names = "--basis", paramLabel = "BASIS", description = "configured or observed.")
  String basis = "";

  @Override
  public Integer call() {
    Answer<AcceptResult> answer =
        api()
            .post(
                "/assessments/" + escape(name) + "/accept",
                Map.of("revision", revision, "basis", basis, "machines", machines),
                AcceptResult.class,
                OfAssessment.LONG);
    AcceptResult done = answer.value();
    if (output != Form.table) {
      json(out(), answer.json());
      return 0;
    }
    out()
        .println(
            "Accepted the sizes of "
                + Counts.of(done.accepted(), "machine")
                + (done.waves().isEmpty()
                    ? "."
                    : ", also in waves: " + join(done.waves(), ", ") + "."));
    if (!done.unsized().isEmpty()) {
      out().println("Without a size: " + join(done.unsized(), ", "));
    }
    return 0;
  }
}
