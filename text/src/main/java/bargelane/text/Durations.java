package bargelane.text;

import java.time.Duration;
import java.time.format.DateTimeParseException;
import java.util.ArrayList;
import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Durations as people write them: {@code 15s}, {@code 5m}, {@code 1h30m}, {@code 7d}. */
public final class Durations {

  private static final Pattern PARTS =
      Pattern.compile(
          "(?:(\\d{1,9})d)?(?:(\\d{1,9})h)?(?:(\\d{1,9})m)?(?:(\\d{1,9})s)?(?:(\\d{1,9})ms)?");

  private Durations() {}

  /**
   * Reads a duration: numbers with d, h, m, s and ms in that order, a plain number of seconds, or
   * ISO 8601 ({@code PT1H30M}).
   *
   * @throws IllegalArgumentException if it is none; the message says what one looks like
   */
  public static Duration parse(String text) {
    String told = text == null ? "" : text.strip();
    if (told.matches("[0-9]{1,9}")) {
      return Duration.ofSeconds(Long.parseLong(told));
    }
    Matcher m = PARTS.matcher(told);
    if (!told.isEmpty() && m.matches()) {
      return Duration.ofDays(part(m, 1))
          .plusHours(part(m, 2))
          .plusMinutes(part(m, 3))
          .plusSeconds(part(m, 4))
          .plusMillis(part(m, 5));
    }
    if (told.matches("[Pp].*")) {
      try {
        Duration d = Duration.parse(told);
        if (!d.isNegative()) {
          return d;
        }
      } catch (DateTimeParseException e) {
        // told below
      }
    }
    throw new IllegalArgumentException(
        "'" + told + "' is not a duration: write 15s, 5m, 1h30m or 7d");
  }

  private static long part(Matcher m, int group) {
    return m.group(group) == null ? 0 : Long.parseLong(m.group(group));
  }

  /** Writes a duration as it is read, in its two largest units: {@code 1h30m}, {@code 45s}. */
  public static String text(Duration duration) {
    // The longest there are have more milliseconds than a number holds.
    long seconds = duration.getSeconds();
    int millis = duration.toMillisPart();
    String sign = duration.isNegative() ? "-" : "";
    if (seconds < 0) {
      Duration most = Duration.ofSeconds(Long.MAX_VALUE);
      Duration turned = seconds == Long.MIN_VALUE ? most : duration.negated();
      seconds = turned.getSeconds();
      millis = turned.toMillisPart();
    }
    if (seconds == 0) {
      return millis == 0 ? "0s" : sign + millis + "ms";
    }
    long[] values = {seconds / 86_400, seconds / 3600 % 24, seconds / 60 % 60, seconds % 60};
    String[] units = {"d", "h", "m", "s"};
    List<String> parts = new ArrayList<>();
    for (int i = 0; i < 4 && parts.size() < 2; i++) {
      if (values[i] > 0) {
        parts.add(values[i] + units[i]);
      } else if (!parts.isEmpty()) {
        break;
      }
    }
    return sign + String.join("", parts);
  }

  /** Writes seconds as a duration. */
  public static String seconds(double seconds) {
    return text(Duration.ofMillis(Math.round(seconds * 1000)));
  }
}
