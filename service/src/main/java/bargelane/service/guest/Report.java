package bargelane.service.guest;

import bargelane.core.site.Inventory.Usage;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.OptionalDouble;
import java.util.OptionalLong;
import java.util.regex.Pattern;

/**
 * What an agent tells at once (docs/formats/agent-report.md). It comes from a machine that nobody
 * vouches for: a text that is not as the format says is refused as a whole.
 *
 * @param part of the survey that follows: {@code all}, {@code counters} or nothing
 * @param survey its text; empty if there is none
 */
record Report(String version, List<Look> looks, String part, Moment now, String survey) {

  /** A text that is no report. */
  static final class MalformedException extends Exception {
    private static final long serialVersionUID = 1;

    MalformedException(String message) {
      super(message);
    }
  }

  /**
   * An instant as its machine tells it: the milliseconds since its start, by which instants of one
   * boot lie apart, and its clock's.
   */
  record Moment(String boot, long uptimeMillis, long wallMillis) {}

  /** One look at the counters. */
  record Look(long number, Moment at, Counters counters) {}

  /** Counters since the machine was started; absent where it does not tell. */
  record Counters(OptionalDouble cpuSeconds, List<OptionalLong> others) {

    /** As looked at at an instant. */
    Usage at(Instant at) {
      return new Usage(
          at,
          cpuSeconds,
          others.get(0),
          others.get(1),
          others.get(2),
          others.get(3),
          others.get(4),
          others.get(5),
          others.get(6));
    }
  }

  static final String FORMAT = "format: bargelane/report/1";

  private static final int MOST_LOOKS = 2000;
  private static final Pattern BOOT = Pattern.compile("[0-9a-f-]{36}");
  private static final int COUNTERS = 8;

  static Report read(String text) throws MalformedException {
    String version = "";
    String part = "";
    List<Look> looks = new ArrayList<>();
    int at = 0;
    for (int number = 1; ; number++) {
      int end = text.indexOf('\n', at);
      if (end < 0) {
        throw new MalformedException("it ends in line " + number + ", before it gives its time");
      }
      String line = text.substring(at, Math.min(end, at + 1000));
      at = end + 1;
      String[] word = line.split(" ", -1);
      if (number == 1) {
        if (!line.equals(FORMAT)) {
          throw new MalformedException("line 1 is not '" + FORMAT + "'");
        }
      } else if (word[0].equals("version") && word.length == 2 && word[1].length() < 40) {
        version = word[1].replaceAll("[^A-Za-z0-9.+-]", "");
      } else if (word[0].equals("look") && word.length == 5 + COUNTERS) {
        if (looks.size() == MOST_LOOKS) {
          throw new MalformedException("it has more than " + MOST_LOOKS + " looks");
        }
        Look look = look(word, number);
        if (!looks.isEmpty() && look.number() <= looks.get(looks.size() - 1).number()) {
          throw new MalformedException("line " + number + " has a look that is not the next");
        }
        looks.add(look);
      } else if (line.equals("survey all") || line.equals("survey counters")) {
        part = word[1];
      } else if (word[0].equals("now") && word.length == 4) {
        return new Report(
            version, List.copyOf(looks), part, moment(word, 1, number), text.substring(at));
      } else {
        throw new MalformedException("line " + number + " is nothing that is known");
      }
    }
  }

  private static Look look(String[] word, int line) throws MalformedException {
    List<OptionalLong> counters = new ArrayList<>();
    for (int i = 5; i < word.length; i++) {
      counters.add(word[i].equals("-") ? OptionalLong.empty() : number(word[i], line));
    }
    OptionalLong hundredths = counters.remove(0);
    return new Look(
        number(word[1], line).getAsLong(),
        moment(word, 2, line),
        new Counters(
            hundredths.isPresent()
                ? OptionalDouble.of(hundredths.getAsLong() / 100.0)
                : OptionalDouble.empty(),
            List.copyOf(counters)));
  }

  private static Moment moment(String[] word, int from, int line) throws MalformedException {
    if (!BOOT.matcher(word[from]).matches()) {
      throw new MalformedException("line " + line + " has no id of a boot");
    }
    long wall = number(word[from + 2], line).getAsLong();
    if (wall > Instant.parse("9999-01-01T00:00:00Z").toEpochMilli()) {
      throw new MalformedException("line " + line + " has a time after the year 9999");
    }
    return new Moment(word[from], number(word[from + 1], line).getAsLong(), wall);
  }

  private static OptionalLong number(String word, int line) throws MalformedException {
    if (!word.matches("[0-9]{1,18}")) {
      throw new MalformedException("line " + line + " has no number where one belongs");
    }
    return OptionalLong.of(Long.parseLong(word));
  }

  /**
   * When a moment was, by our clock: as long before the report came as the machine says, whatever
   * its clock is set to; for one before the machine's last start its clock is believed, less what
   * it is off now.
   */
  Instant ours(Moment at, Instant came) {
    if (at.boot().equals(now.boot())) {
      return came.minus(Duration.ofMillis(now.uptimeMillis() - at.uptimeMillis()));
    }
    return came.minus(Duration.ofMillis(now.wallMillis() - at.wallMillis()));
  }
}
