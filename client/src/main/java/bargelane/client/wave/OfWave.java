package bargelane.client.wave;

import bargelane.client.Common;
import picocli.CommandLine.Parameters;

/** The wave that a command is about. */
final class OfWave {

  @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
  String name;

  /** A path of the API under the wave. */
  String path(String rest) {
    return "/waves/" + Common.escape(name) + rest;
  }
}
