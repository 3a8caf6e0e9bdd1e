package bargelane.client;

import java.io.IOException;
import java.io.PrintWriter;
import java.net.URI;
import java.nio.file.Files;
import java.nio.file.Path;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Spec;

/** Options that every command takes. */
abstract class Common {

  @Spec CommandSpec spec;

  @Option(
      names = "--output",
      defaultValue = "table",
      description = "table, json or csv (default: table).")
  Output.Form output;

  @Option(
      names = "--service",
      description = "Address of the service (default: that of the home, or BARGELANE_SERVICE).")
  String service;

  @Option(
      names = "--home",
      description = "Home of a service on this machine (default: BARGELANE_HOME).")
  Path home;

  PrintWriter out() {
    return spec.commandLine().getOut();
  }

  PrintWriter err() {
    return spec.commandLine().getErr();
  }

  ApiClient api() {
    Path dir =
        home != null ? home : Path.of(System.getenv().getOrDefault("BARGELANE_HOME", ".bargelane"));
    String address = service != null ? service : System.getenv("BARGELANE_SERVICE");
    String token = System.getenv("BARGELANE_TOKEN");
    try {
      if (address == null) {
        address = Files.readString(dir.resolve("service/address")).strip();
      }
      if (token == null) {
        token = Files.readString(dir.resolve("service/token")).strip();
      }
    } catch (IOException e) {
      throw new NoServiceException(
          "no service was started from "
              + dir.toAbsolutePath()
              + "; start one with ./bargelane demo, or name one with --service and BARGELANE_TOKEN");
    }
    return new ApiClient(URI.create(address), token);
  }

  /** Tells of a run that was started, or follows it to its end. */
  int started(com.fasterxml.jackson.databind.JsonNode run, boolean wait) {
    if (wait) {
      return Follow.print(api(), run, out(), err());
    }
    if (output == Output.Form.json) {
      Output.json(out(), run);
    } else {
      out().println(run.path("title").asText() + " is running as " + run.path("id").asText());
      out().println("Follow it: bargelane run show " + run.path("id").asText() + " --wait");
    }
    return 0;
  }

  /** There is no service to talk to. */
  static final class NoServiceException extends RuntimeException {
    private static final long serialVersionUID = 1;

    NoServiceException(String message) {
      super(message);
    }
  }

  static String escape(String part) {
    return java.net.URLEncoder.encode(part, java.nio.charset.StandardCharsets.UTF_8)
        .replace("+", "%20");
  }

  /**
   * A secret from a file or the environment, never from the command line, where others can read it.
   *
   * @param option that names the file
   */
  String secret(String option, Path file, String variable) {
    if (file != null) {
      return textOf(option, file).strip();
    }
    String value = System.getenv(variable);
    if (value == null) {
      throw new ParameterException(
          spec.commandLine(), "give the secret with " + option + " FILE or in " + variable);
    }
    return value;
  }

  /** The text of a file that an option names. */
  String textOf(String option, Path file) {
    try {
      return new String(Files.readAllBytes(file), java.nio.charset.StandardCharsets.UTF_8);
    } catch (IOException e) {
      throw new ParameterException(
          spec.commandLine(),
          "the file " + file + " of " + option + " can't be read: " + e.getMessage());
    }
  }

  /** Prints what became of a list that was read; 1 if something in it is wrong. */
  int imported(com.fasterxml.jackson.databind.JsonNode result, String rows, String things) {
    int problems = result.path("problemCount").asInt();
    if (output == Output.Form.json) {
      Output.json(out(), result);
    } else if (problems > 0) {
      Output.rows(
          out(),
          output,
          result.path("problems"),
          "",
          Output.number("LINE", "line"),
          Output.text("COLUMN", "column"),
          Output.text("REASON", "reason"));
      out()
          .println(
              problems
                  + (problems == 1 ? " thing is" : " things are")
                  + " wrong: nothing is stored.");
    } else {
      out()
          .println(
              result.path("rows").asInt()
                  + " "
                  + rows
                  + ": "
                  + result.path("added").asInt()
                  + " "
                  + things
                  + "new, "
                  + result.path("changed").asInt()
                  + " "
                  + things
                  + "changed"
                  + (result.path("gone").asInt() > 0
                      ? ", " + result.path("gone").asInt() + " gone"
                      : "")
                  + (result.path("stored").asBoolean() ? "." : "; a dry run: nothing is stored."));
    }
    return problems > 0 ? 1 : 0;
  }
}
