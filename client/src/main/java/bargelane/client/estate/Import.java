package bargelane.client.estate;

import static bargelane.client.Output.*;

import bargelane.api.EstateResult;
import bargelane.client.Answer;
import bargelane.client.Output;
import bargelane.text.Counts;
import java.io.Console;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** Take an estate file over. */
@Command(
    name = "import",
    description = {
      "Take an estate file over, whole or not at all: say what it changes, ask, and do exactly that.",
      "What somebody else has changed since the file was written stays; where both have changed the same, it is told."
    },
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane estate import estate.yaml",
      "  bargelane estate import estate.yaml --only sites --yes"
    })
final class Import extends FromEstateFile implements Callable<Integer> {

  @Option(names = "--yes", description = "Do not ask.")
  boolean yes;

  @Override
  public Integer call() {
    String text = read();
    Answer<EstateResult> seen =
        api().post("/estate/comparisons", asked(text, null), EstateResult.class);
    boolean json = output == Output.Form.json;
    boolean sound = seen.value().problems().isEmpty() && seen.value().conflicts().isEmpty();
    if (json && !sound) {
      json(out(), seen.json());
      return 1;
    }
    if (!json && !told(seen.value())) {
      return 1;
    }
    if (!seen.value().changes().isEmpty()) {
      agreed();
    }
    Answer<EstateResult> done =
        api().post("/estate/imports", asked(text, seen.value().state()), EstateResult.class);
    if (json) {
      json(out(), done.json());
    } else if (!done.value().changes().isEmpty()) {
      out().println(Counts.of(done.value().changes().size(), "change") + " made.");
      base(done.value());
    }
    return done.value().done() ? 0 : 1;
  }

  private void agreed() {
    if (yes) {
      return;
    }
    Console console = System.console();
    if (console == null) {
      throw new UsageException("nobody is asked here: give --yes to make these changes");
    }
    String answer = console.readLine("Make these changes? Type yes: ");
    if (answer == null || !answer.strip().equals("yes")) {
      throw new UsageException("not imported: 'yes' was not typed");
    }
  }

  private void base(EstateResult done) {
    if (!done.baseKnown()) {
      out()
          .println(
              "Next:  put this line into the file, so that the next import of it knows what has changed since:");
      out().println("  base: " + done.base());
    }
  }
}
