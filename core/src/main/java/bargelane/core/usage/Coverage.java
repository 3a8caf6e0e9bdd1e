package bargelane.core.usage;

import java.time.Duration;
import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;

/**
 * How much of a window of time has samples.
 *
 * @param expected five-minute slots of the window
 * @param held slots with a sample
 * @param gaps stretches without samples, oldest first
 * @param monthsTurn whether the night from a month's last day to the next month's first is held
 * @param quartersTurn whether such a night at a quarter's end is held
 */
public record Coverage(
    Instant from,
    Instant to,
    int expected,
    int held,
    List<Gap> gaps,
    boolean monthsTurn,
    boolean quartersTurn) {

  /** A stretch without samples. */
  public record Gap(Instant from, Instant to) {
    public Duration length() {
      return Duration.between(from, to);
    }
  }

  private static final int WEEK = 7 * UsageDay.SLOTS;
  private static final double THIN = 0.9;

  /**
   * Of the slots of a window.
   *
   * @param held which slots have a sample, from the one that begins at {@code from} on
   */
  static Coverage of(Instant from, boolean[] held) {
    List<Gap> gaps = new ArrayList<>();
    int count = 0;
    for (int i = 0; i < held.length; ) {
      int since = i;
      boolean is = held[i];
      while (i < held.length && held[i] == is) {
        i++;
      }
      if (is) {
        count += i - since;
      } else {
        gaps.add(new Gap(at(from, since), at(from, i)));
      }
    }
    boolean month = false;
    boolean quarter = false;
    Instant to = at(from, held.length);
    LocalDate first = LocalDate.ofInstant(from, ZoneOffset.UTC).withDayOfMonth(1).plusMonths(1);
    for (LocalDate turn = first; UsageSeries.start(turn).isBefore(to); turn = turn.plusMonths(1)) {
      if (nightHeld(from, held, UsageSeries.start(turn))) {
        month = true;
        quarter |= turn.getMonthValue() % 3 == 1;
      }
    }
    return new Coverage(from, to, held.length, count, gaps, month, quarter);
  }

  /** Whether at least half of the twelve hours around a midnight is held, on both sides of it. */
  private static boolean nightHeld(Instant from, boolean[] held, Instant midnight) {
    int at = (int) (Duration.between(from, midnight).toSeconds() / UsageDay.SLOT_SECONDS);
    int side = UsageDay.SLOTS / 4;
    return count(held, at - side, at) >= side / 2 && count(held, at, at + side) >= side / 2;
  }

  private static int count(boolean[] held, int from, int to) {
    int n = 0;
    for (int i = Math.max(0, from); i < Math.min(held.length, to); i++) {
      if (held[i]) {
        n++;
      }
    }
    return n;
  }

  private static Instant at(Instant from, int slot) {
    return from.plusSeconds((long) slot * UsageDay.SLOT_SECONDS);
  }

  /** The held share, 0 to 1. */
  public double share() {
    return expected == 0 ? 0 : (double) held / expected;
  }

  /** What a reader of figures from this window must know; empty when nothing stands against it. */
  public List<String> warnings() {
    List<String> all = new ArrayList<>();
    if (held == 0) {
      return List.of("nothing was measured in this window");
    }
    if (held < WEEK) {
      all.add(
          String.format(
              Locale.ROOT,
              "only %s of samples are held: too short to show a week's cycle, so the figures mean little",
              days(held)));
    } else if (share() < THIN) {
      all.add(
          String.format(
              Locale.ROOT,
              "samples cover %s of %s (%.0f %%)",
              days(held),
              days(expected),
              share() * 100));
    }
    if (!monthsTurn) {
      all.add("the window holds no month end: work that is done then does not show");
    } else if (!quartersTurn) {
      all.add("the window holds no quarter end");
    }
    return all;
  }

  private static String days(int slots) {
    double days = (double) slots / UsageDay.SLOTS;
    return days < 1
        ? String.format(Locale.ROOT, "%.1f hours", days * 24)
        : String.format(Locale.ROOT, "%.1f days", days);
  }
}
