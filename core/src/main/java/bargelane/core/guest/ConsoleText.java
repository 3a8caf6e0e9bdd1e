package bargelane.core.guest;

import java.nio.charset.StandardCharsets;
import java.util.regex.Pattern;

/** What a guest wrote to its serial console, as text that can be shown and stored. */
public final class ConsoleText {

  /** Bytes from the end of a console that are looked at. */
  public static final int MOST = 64 * 1024;

  /**
   * Control sequences of terminals (ECMA-48, 5.4), and the shorter escapes. A program that cuts its
   * line to a width may cut one short.
   */
  private static final Pattern ESCAPES =
      Pattern.compile(
          "\u001b(?:\\[[0-?]*[ -/]*[@-~]?|\\][^\u0007\u001b]*(?:\u0007|\u001b\\\\)|[ -/]*[0-~])");

  private static final Pattern CONTROLS = Pattern.compile("[\\p{Cntrl}&&[^\n\t]]");

  private ConsoleText() {}

  /** Lines without what only moves a terminal's cursor or colours it. */
  public static String of(byte[] bytes) {
    String text = ESCAPES.matcher(new String(bytes, StandardCharsets.UTF_8)).replaceAll("");
    // A run of returns is looked at once, however long a guest makes it.
    text = text.replaceAll("(?<!\r)\r+\n", "\n").replace('\r', '\n');
    return CONTROLS.matcher(text).replaceAll("").replaceAll("\n{3,}", "\n\n").stripTrailing();
  }
}
