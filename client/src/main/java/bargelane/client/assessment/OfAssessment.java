package bargelane.client.assessment;

import static bargelane.client.Output.*;

import bargelane.client.Common;
import java.time.Duration;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** One assessment, and if wanted a revision of it. */
abstract class OfAssessment extends Common {

  /** Ten thousand machines take seconds, a grid over them tens. */
  static final Duration LONG = Duration.ofMinutes(10);

  @Parameters(index = "0", paramLabel = "ASSESSMENT", description = "Name or id.")
  String name;

  @Option(
      names = "--revision",
      paramLabel = "REVISION",
      description = "Its number; the newest if left out.")
  int revision;

  String path(String more) {
    return "/assessments/" + escape(name) + more + "revision=" + revision;
  }
}
