package bargelane.client.finding;

import static bargelane.client.Output.*;

import bargelane.api.FindingCode;
import bargelane.api.Remedy;
import bargelane.client.ApiClient;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Remedies;
import java.util.Optional;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** Show what a finding means. */
@Command(
    name = "show",
    description = "Show what a finding means, and what is usually done about it.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane finding show network-not-joined"})
final class Show extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "CODE", description = "Code of the finding.")
  String code;

  @Override
  public Integer call() {
    Optional<FindingCode> known =
        api().list("/findings", FindingCode.class).value().stream()
            .filter(f -> f.code().equals(code))
            .findFirst();
    if (known.isEmpty()) {
      err().println("Error: there is no finding '" + code + "'");
      err().println("Next:  list them: bargelane finding list");
      return 2;
    }
    FindingCode found = known.get();
    if (output == Output.Form.json) {
      json(out(), ApiClient.JSON.valueToTree(found));
      return 0;
    }
    out().println(found.code() + (found.blocks() ? ", which blocks" : ", which does not block"));
    out().println(found.meaning());
    out().println(found.advice());
    out().println("Who can: " + found.who());
    for (Remedy step : found.steps()) {
      out().println("Next:    " + Remedies.text(step));
    }
    return 0;
  }
}
