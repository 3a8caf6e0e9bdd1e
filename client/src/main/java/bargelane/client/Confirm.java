package bargelane.client;

import java.io.Console;

/** Asks for the wave's name to be typed before something that changes machines in production. */
final class Confirm {

  private Confirm() {}

  /**
   * The confirmation as given, or as typed on a terminal; the service decides whether it is right.
   */
  static String ask(Common command, String wave, String given) {
    if (given != null) {
      return given;
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
