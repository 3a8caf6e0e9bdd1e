package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;

import bargelane.client.ApiClient;
import bargelane.client.Cli;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.util.ArrayList;
import java.util.List;
import picocli.CommandLine;

/** The command line of a harness's home: what it says, and with what it ends. */
record Terminal(Harness harness) {

  record Said(int code, String out, String err) {
    String all() {
      return out + err;
    }
  }

  Said say(String... arguments) {
    StringWriter out = new StringWriter();
    StringWriter err = new StringWriter();
    CommandLine line = Cli.commandLine();
    line.setOut(new PrintWriter(out, true));
    line.setErr(new PrintWriter(err, true));
    List<String> all = new ArrayList<>(List.of(arguments));
    if (arguments.length > 1 && !all.contains("--help")) {
      all.add("--home");
      all.add(harness.home().toString());
    }
    int code = line.execute(all.toArray(String[]::new));
    return new Said(code, out.toString(), err.toString());
  }

  /** Says what must go well. */
  Said done(String... arguments) {
    Said said = say(arguments);
    assertEquals(0, said.code(), String.join(" ", arguments) + ": " + said.all());
    return said;
  }

  /** The JSON of what must go well. */
  JsonNode told(String... arguments) throws IOException {
    List<String> all = new ArrayList<>(List.of(arguments));
    all.addAll(List.of("--output", "json"));
    return ApiClient.JSON.readTree(done(all.toArray(String[]::new)).out());
  }
}
