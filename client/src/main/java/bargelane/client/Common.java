package bargelane.client;

import bargelane.api.ImportResult;
import bargelane.api.Page;
import bargelane.api.RunView;
import bargelane.api.Trust;
import java.io.IOException;
import java.io.PrintWriter;
import java.net.URI;
import java.net.URISyntaxException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Spec;

/** Options that every command takes. */
public abstract class Common {

  @Spec protected CommandSpec spec;

  @Option(
      names = "--output",
      paramLabel = "FORM",
      defaultValue = "table",
      description = "table, json or csv (default: table).")
  public Output.Form output;

  @Option(
      names = "--service",
      paramLabel = "URL",
      description = "Address of the service (default: that of the home, or BARGELANE_SERVICE).")
  String service;

  @Option(
      names = "--home",
      paramLabel = "DIRECTORY",
      description = "Home of a service on this machine (default: BARGELANE_HOME).")
  Path home;

  @Option(
      names = "--fingerprint",
      paramLabel = "SHA-256",
      description =
          "Fingerprint of the service's certificate (default: that of the home, or BARGELANE_FINGERPRINT).")
  String fingerprint;

  @Option(
      names = "--authority",
      paramLabel = "FILE",
      description =
          "Certificates of who signs the service's (default: BARGELANE_AUTHORITY, or this system's).")
  Path authority;

  public PrintWriter out() {
    return spec.commandLine().getOut();
  }

  public PrintWriter err() {
    return spec.commandLine().getErr();
  }

  protected ApiClient api() {
    Path dir =
        home != null ? home : Path.of(System.getenv().getOrDefault("BARGELANE_HOME", ".bargelane"));
    String address = service != null ? service : System.getenv("BARGELANE_SERVICE");
    String token = System.getenv("BARGELANE_TOKEN");
    String known = ofHome(dir, "address");
    boolean ofHome = address == null || address.strip().equals(known);
    if (address == null) {
      address = known;
    }
    if (token == null && ofHome) {
      token = ofHome(dir, "token");
    }
    if (address == null || token == null && ofHome) {
      throw new NoServiceException(
          "no service was started from "
              + dir.toAbsolutePath()
              + "; start one with ./bargelane demo, or name one with --service and BARGELANE_TOKEN");
    }
    URI at = address(address);
    if (token == null) {
      // The token of a home is for its own service, and goes nowhere else.
      throw new UsageException(
          "there is no token for " + address + ": give one of its in BARGELANE_TOKEN");
    }
    return new ApiClient(at, token, trust(ofHome ? dir : null));
  }

  /** What a home says of its service; null if none was started from there. */
  private static String ofHome(Path dir, String file) {
    try {
      return Files.readString(dir.resolve("service").resolve(file)).strip();
    } catch (IOException e) {
      return null;
    }
  }

  /** Whom to take for the service: as it is given, else as the home tells, else by this system. */
  private Trust trust(Path dir) {
    String pin = fingerprint != null ? fingerprint : System.getenv("BARGELANE_FINGERPRINT");
    String named = System.getenv("BARGELANE_AUTHORITY");
    Path signers = authority != null ? authority : named == null ? null : Path.of(named);
    try {
      if (fingerprint == null && authority != null) {
        return Trust.authority(authority);
      }
      if (pin != null) {
        return Trust.pinned(pin);
      }
      if (signers != null) {
        return Trust.authority(signers);
      }
      Path known = dir == null ? null : dir.resolve("service/fingerprint");
      return known != null && Files.exists(known)
          ? Trust.pinned(Files.readString(known))
          : Trust.system();
    } catch (IllegalArgumentException e) {
      throw new UsageException(e.getMessage());
    } catch (IOException e) {
      throw new UsageException(
          e instanceof NoSuchFileException ? "there is no file " + e.getMessage() : e.getMessage());
    }
  }

  private static URI address(String text) {
    try {
      URI address = new URI(text.strip());
      if (address.getHost() != null && "https".equals(address.getScheme())) {
        return address;
      }
      if (address.getHost() != null && "http".equals(address.getScheme())) {
        if (address.getHost().matches("localhost|127[.].*|\\[::1]")) {
          return address;
        }
        throw new UsageException(
            "'" + text + "' would send the token in the clear: give the address with https://");
      }
    } catch (URISyntaxException e) {
      // Told below.
    }
    throw new UsageException(
        "'" + text + "' is not the address of a service: give one as https://127.0.0.1:7070");
  }

  /** What was typed can't be meant. */
  public static final class UsageException extends RuntimeException {
    private static final long serialVersionUID = 1;

    public UsageException(String message) {
      super(message);
    }
  }

  /** Tells of a run that was started, or follows it to its end. */
  protected int started(Answer<RunView> run, boolean wait) {
    String id = run.value().id();
    if (wait) {
      return Follow.print(api(), run.value(), out(), err());
    }
    if (output == Output.Form.json) {
      Output.json(out(), run.json());
    } else {
      out().println(run.value().title() + " is running as " + id);
      out().println("Follow it: bargelane run show " + id + " --wait");
    }
    return 0;
  }

  /** Says that there are further pages. */
  protected void more(Page<?> found, int page, int size) {
    long shown = (long) page * size + found.items().size();
    if (output == Output.Form.table && shown < found.total()) {
      out().println(shown + " of " + found.total() + "; more: --page " + (page + 1));
    }
  }

  /** There is no service to talk to. */
  static final class NoServiceException extends RuntimeException {
    private static final long serialVersionUID = 1;

    NoServiceException(String message) {
      super(message);
    }
  }

  public static String escape(String part) {
    return java.net.URLEncoder.encode(part, java.nio.charset.StandardCharsets.UTF_8)
        .replace("+", "%20");
  }

  /**
   * A secret from a file or the environment, never from the command line, where others can read it.
   *
   * @param option that names the file
   */
  protected String secret(String option, Path file, String variable) {
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

  /**
   * The text of a file.
   *
   * @param option that names it; empty for a parameter
   */
  protected String textOf(String option, Path file) {
    try {
      return new String(Files.readAllBytes(file), java.nio.charset.StandardCharsets.UTF_8);
    } catch (IOException e) {
      throw new ParameterException(
          spec.commandLine(),
          "the file "
              + file
              + (option.isEmpty() ? "" : " of " + option)
              + (e instanceof NoSuchFileException
                  ? " is not there"
                  : " can't be read: " + e.getMessage()));
    }
  }

  /** Prints what became of a list that was read; 1 if something in it is wrong. */
  protected int imported(Answer<ImportResult> answer, String rows, String things) {
    ImportResult result = answer.value();
    int problems = result.problemCount();
    if (output == Output.Form.json) {
      Output.json(out(), answer.json());
    } else if (problems > 0) {
      Output.rows(
          out(),
          output,
          result.problems(),
          "",
          Output.number("LINE", ImportResult.LineProblem::line),
          Output.text("COLUMN", ImportResult.LineProblem::column),
          Output.text("REASON", ImportResult.LineProblem::reason));
      out()
          .println(
              problems
                  + (problems == 1 ? " thing is" : " things are")
                  + " wrong: nothing is stored.");
    } else {
      out()
          .println(
              "%d %s: %d %snew, %d %schanged%s%s"
                  .formatted(
                      result.rows(),
                      rows,
                      result.added(),
                      things,
                      result.changed(),
                      things,
                      result.gone() > 0 ? ", " + result.gone() + " gone" : "",
                      result.stored() ? "." : "; a dry run: nothing is stored."));
    }
    return problems > 0 ? 1 : 0;
  }
}
