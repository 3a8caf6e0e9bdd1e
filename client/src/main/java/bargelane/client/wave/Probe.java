package bargelane.client.wave;

import static bargelane.client.Output.*;

import bargelane.api.ProbeView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.time.Duration;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.ArgGroup;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;

/** {@code wave probe}: how it is seen that machines do their work once they are started. */
@Command(
    name = "probe",
    description =
        "How it is seen that machines do their work once they are started. With a machine and what"
            + " is to be asked of it, it is changed.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane wave probe lending lending-db --tcp --port 5432 --within 5m"
    })
final class Probe extends Common implements Callable<Integer>, Tabled {
  @Mixin OfWave wave;

  @Parameters(
      index = "1",
      arity = "0..1",
      paramLabel = "MACHINE",
      description = "Machine of the wave.")
  String machine;

  /** What counts as an answer. */
  static final class Kind {
    @Option(
        names = "--http",
        paramLabel = "PATH",
        description = "A response to this path over HTTP that tells of no error.")
    String http;

    @Option(names = "--tcp", description = "A connection that is accepted.")
    boolean tcp;

    @Option(names = "--none", description = "Nothing: to be on is enough.")
    boolean none;
  }

  @ArgGroup Kind kind;

  @Option(
      names = "--port",
      paramLabel = "PORT",
      description = "Port of the guest; 0 for the one that its site knows it serves.")
  Integer port;

  @Option(
      names = "--within",
      paramLabel = "TIME",
      description = "Time that the machine may take from its start, as 5m.")
  Duration within;

  @Override
  public Integer call() {
    String path = wave.path("/probes");
    boolean changes = kind != null || port != null || within != null;
    if (changes && machine == null) {
      throw new ParameterException(spec.commandLine(), "name the machine that this is for");
    }
    Answer<List<ProbeView>> all =
        changes
            ? api().putForList(path, body(), ProbeView.class)
            : api().list(path, ProbeView.class);
    rows(
        out(),
        output,
        all,
        "No machines.",
        text("MACHINE", ProbeView::machine),
        text("PROBE", Probe::asked),
        text("PORT", p -> p.port() == 0 ? "as its site knows" : String.valueOf(p.port())),
        text("WITHIN", p -> seconds(p.withinSeconds())),
        text("CHOSEN", p -> p.chosen() ? "by hand" : "usual"),
        text("SEEN SERVING", p -> join(p.seen(), ", ")));
    return 0;
  }

  private static String asked(ProbeView p) {
    return p.kind().equals("http") ? "http " + p.path() : p.kind();
  }

  private Map<String, Object> body() {
    Map<String, Object> body = new LinkedHashMap<>();
    body.put("machine", machine);
    if (kind != null) {
      body.put("kind", kind.http != null ? "http" : kind.tcp ? "tcp" : "none");
      body.put("path", kind.http);
    }
    body.put("port", port);
    body.put("withinSeconds", within == null ? null : within.toSeconds());
    return body;
  }
}
