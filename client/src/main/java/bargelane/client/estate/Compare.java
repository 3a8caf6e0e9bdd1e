package bargelane.client.estate;

import static bargelane.client.Output.*;

import bargelane.api.EstateResult;
import bargelane.client.Answer;
import bargelane.client.Output;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** What an import of an estate file comes to. */
@Command(
    name = "compare",
    description =
        "Say what an import of an estate file comes to: what it changes, what somebody else has changed since it was"
            + " written, and what can't be done. Nothing is stored. Ends with 1 where the file can't be imported.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane estate compare estate.yaml"})
final class Compare extends FromEstateFile implements Callable<Integer> {

  @Override
  public Integer call() {
    Answer<EstateResult> r =
        api().post("/estate/comparisons", asked(read(), null), EstateResult.class);
    if (output == Output.Form.json) {
      json(out(), r.json());
      return r.value().problems().isEmpty() && r.value().conflicts().isEmpty() ? 0 : 1;
    }
    return told(r.value()) ? 0 : 1;
  }
}
