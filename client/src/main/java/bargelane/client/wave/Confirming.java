package bargelane.client.wave;

import bargelane.client.Common;
import java.io.Console;
import picocli.CommandLine.Option;

/** Asks for the wave's name to be typed before something that changes machines in production. */
final class Confirming {

  @Option(
      names = "--confirm",
      paramLabel = "NAME",
      description = "The name of the wave, typed, since this changes machines in production.")
  String confirm;

  /**
   * The confirmation as given, or as typed on a terminal; the service decides whether it is right.
   */
  String ask(Common command, String wave) {
    if (confirm != null) {
      return confirm;
    }
    Console console = System.console();
    if (console == null) {
      return "";
    }
    String typed =
        console.readLine(
            "This changes machines in production. Type the name of the wave (%s): ", wave);
    command.out().flush();
    return typed == null ? "" : typed.strip();
  }
}
