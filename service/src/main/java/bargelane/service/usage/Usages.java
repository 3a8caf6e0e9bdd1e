package bargelane.service.usage;

import bargelane.api.UsageView;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.usage.Coverage;
import bargelane.core.usage.Metric;
import bargelane.core.usage.UsageDay;
import bargelane.core.usage.UsageWindow;
import bargelane.service.machine.MachineEntity;
import bargelane.service.machine.Machines;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.time.format.DateTimeParseException;
import java.util.ArrayList;
import java.util.List;

/** What machines used, told for a window. */
public final class Usages {

  private static final Duration USUAL = Duration.ofDays(30);
  private static final Duration LONGEST = Duration.ofDays(400);
  private static final int MOST_POINTS = 2000;

  private final Db db;
  private final Clock clock;

  public Usages(Db db, Clock clock) {
    this.db = db;
    this.clock = clock;
  }

  /**
   * The figures of one machine.
   *
   * @param from beginning of the window; empty for 30 days before its end
   * @param to its end; empty for now
   * @param percentile 50 to 100
   * @param points stretches of the course of each metric at most; 0 for none
   */
  public UsageView view(String ref, String from, String to, String percentile, int points) {
    // Up to now means up to the last sample that can be complete.
    Instant end = to.isEmpty() ? slot(clock.instant()) : instant("to", to);
    Instant begin = from.isEmpty() ? end.minus(USUAL) : instant("from", from);
    if (!begin.isBefore(end) || Duration.between(begin, end).compareTo(LONGEST) > 0) {
      throw ProblemException.invalid(
          "window-malformed",
          "the window from " + begin + " to " + end + " is empty or longer than 400 days",
          "give a beginning that lies before the end");
    }
    double share = percentile(percentile);
    if (points < 0 || points > MOST_POINTS) {
      throw ProblemException.invalid(
          "points-malformed", points + " points can't be told", "ask for 0 to " + MOST_POINTS);
    }
    return db.tx(
        s -> {
          MachineEntity machine = Machines.find(s, ref);
          LocalDate first = LocalDate.ofInstant(begin, ZoneOffset.UTC);
          // A window that ends at a midnight has nothing of the day after it.
          LocalDate last = LocalDate.ofInstant(end.minusNanos(1), ZoneOffset.UTC);
          UsageWindow window =
              s.doReturningWork(
                  c ->
                      new UsageWindow(
                          begin,
                          end,
                          UsageDays.read(c, machine.id, first, last),
                          UsageMonths.read(c, machine.id, first, last)));
          return view(machine, window, share, points);
        });
  }

  private static Instant slot(Instant now) {
    return now.minusSeconds(Math.floorMod(now.getEpochSecond(), UsageDay.SLOT_SECONDS))
        .truncatedTo(java.time.temporal.ChronoUnit.SECONDS);
  }

  private static UsageView view(
      MachineEntity machine, UsageWindow window, double percentile, int points) {
    Coverage c = window.coverage();
    MachineFacts facts = Json.read(machine.facts, MachineFacts.class);
    List<UsageView.MetricView> metrics = new ArrayList<>();
    for (Metric metric : Metric.values()) {
      window
          .figures(metric, percentile)
          .ifPresent(
              f ->
                  metrics.add(
                      new UsageView.MetricView(
                          metric.text(),
                          metric.unit(),
                          f.samples(),
                          f.mean(),
                          f.percentile(),
                          f.percentileBelow(),
                          f.percentileAbove(),
                          f.maximum(),
                          f.maximumAt(),
                          f.above().toSeconds(),
                          points == 0
                              ? List.of()
                              : window.course(metric, points).stream()
                                  .map(Usages::point)
                                  .toList())));
    }
    List<String> warnings = new ArrayList<>(c.warnings());
    if (window.folded()) {
      warnings.add(
          "months that ended more than "
              + UsageMonths.EXACT.toDays()
              + " days ago are kept folded: they count as a whole, so the window is from "
              + c.from()
              + ", and percentiles lie within the bounds beside them");
    }
    return new UsageView(
        machine.name,
        c.from(),
        c.to(),
        percentile,
        c.expected(),
        c.held(),
        c.gaps().stream().map(g -> new UsageView.GapView(g.from(), g.to())).toList(),
        c.monthsTurn(),
        c.quartersTurn(),
        warnings,
        new UsageView.ConfiguredView(facts.cpus(), facts.memoryMib() << 20),
        metrics);
  }

  private static UsageView.PointView point(UsageWindow.Bucket b) {
    return new UsageView.PointView(b.from(), orNull(b.mean()), orNull(b.maximum()));
  }

  private static Double orNull(double value) {
    return Double.isNaN(value) ? null : value;
  }

  private static double percentile(String told) {
    if (told.isEmpty()) {
      return 95;
    }
    try {
      double value = Double.parseDouble(told);
      if (value >= 50 && value <= 100) {
        return value;
      }
    } catch (NumberFormatException e) {
      // told below
    }
    throw ProblemException.invalid(
        "percentile-malformed",
        "'" + told + "' is not a percentile",
        "give a number from 50 to 100, such as 95 or 99.5");
  }

  private static Instant instant(String name, String told) {
    try {
      return Instant.parse(told);
    } catch (DateTimeParseException e) {
      throw ProblemException.invalid(
          "instant-malformed",
          "'" + told + "' of " + name + " is not an instant",
          "write it as 2026-11-01T00:00:00Z");
    }
  }
}
