package bargelane.client;

import static bargelane.client.Common.escape;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.PrintWriter;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** {@code wave refit}: what guests need changed to start at the other side. */
@Command(
    name = "refit",
    description =
        "What the guests need changed to start at the other side; exit 1 if one is not expected to start there.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane wave refit lending --look",
      "  bargelane wave refit lending --word lending-db --reason 'tried by hand on Monday'"
    })
final class RefitCommand extends Common implements Callable<Integer> {

  @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
  String name;

  @Option(names = "--look", description = "Look into clones of the newest recovery point first.")
  boolean look;

  @Option(
      names = "--word",
      paramLabel = "MACHINE",
      description = "Give your word that a machine may move though its guest can't be refitted.")
  String word;

  @Option(names = "--reason", defaultValue = "", description = "Why; empty takes the word back.")
  String reason;

  @Override
  public Integer call() {
    String path = "/waves/" + escape(name) + "/refit";
    if (look) {
      int code = Follow.print(api(), api().post(path, null), err(), err());
      if (code != 0) {
        return code;
      }
    }
    JsonNode found =
        word == null ? api().get(path) : api().put(path, Map.of("machine", word, "reason", reason));
    if (output == Output.Form.json) {
      Output.json(out(), found);
    } else {
      found.forEach(this::print);
    }
    boolean stays = false;
    for (JsonNode m : found) {
      stays |= !m.path("refused").isEmpty() && m.path("word").asText().isEmpty();
    }
    return stays ? 1 : 0;
  }

  private void print(JsonNode m) {
    PrintWriter out = out();
    out.println(m.path("machine").asText() + ": " + m.path("summary").asText());
    if (m.path("lookedAt").isTextual()) {
      String os = m.path("os").asText();
      out.println(
          "  looked into point "
              + m.path("point").asInt()
              + " at "
              + m.path("lookedAt").asText()
              + (os.isEmpty() ? "" : ": " + os + ", " + m.path("firmware").asText()));
    } else {
      out.println("  look into it: bargelane wave refit " + name + " --look");
    }
    for (JsonNode e : m.path("edits")) {
      out.println();
      out.println(
          "  disk "
              + e.path("disk").asInt()
              + " partition "
              + e.path("partition").asInt()
              + ": "
              + e.path("path").asText());
      out.println("    " + e.path("reason").asText());
      e.path("difference").asText().lines().forEach(l -> out.println("    " + l));
    }
    m.path("unjudged").forEach(u -> out.println("  not judged: " + u.asText()));
    m.path("refused").forEach(r -> out.println("  in the way: " + r.asText()));
    if (!m.path("word").asText().isEmpty()) {
      out.println("  may move all the same, says " + m.path("word").asText());
    }
  }
}
