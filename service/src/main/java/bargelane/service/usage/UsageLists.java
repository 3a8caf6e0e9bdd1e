package bargelane.service.usage;

import bargelane.api.CsvImport;
import bargelane.api.ImportResult;
import bargelane.core.usage.Metric;
import bargelane.service.event.Events;
import bargelane.service.machine.ListedMachines;
import bargelane.service.platform.CsvTable;
import bargelane.service.platform.CsvTable.Row;
import bargelane.service.platform.Db;
import bargelane.text.Counts;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import org.hibernate.Session;

/** Lists of what machines used: each is imported whole, in one transaction, or not at all. */
public final class UsageLists {

  private static final List<String> METRICS =
      Arrays.stream(Metric.values()).map(m -> m.name().toLowerCase(Locale.ROOT)).toList();

  private final Db db;
  private final Events events;
  private final Clock clock;

  public UsageLists(Db db, Events events, Clock clock) {
    this.db = db;
    this.events = events;
    this.clock = clock;
  }

  /** Samples of what machines used. */
  public ImportResult usage(CsvImport asked, String by) {
    return db.tx(
        s -> {
          UsageSheet sheet = new UsageSheet();
          Map<String, ListedMachines.Named> machines = new HashMap<>();
          Instant latest = clock.instant().plus(Duration.ofMinutes(5));
          CsvTable table =
              CsvTable.each(
                  CsvTable.text(asked),
                  List.of("machine", "time"),
                  Stream.concat(Stream.of("seconds"), METRICS.stream()).toList(),
                  (of, row) -> sample(s, sheet, machines, latest, row));
          if (sheet.tooMany()) {
            table.wrong(
                "has more than " + UsageSheet.MOST_DAYS + " days of machines at once: split it");
          }
          boolean store = table.sound() && !asked.dryRun();
          int known = sheet.known(s);
          if (store) {
            sheet.store(s);
            events.tell(
                s,
                "machine",
                "",
                "",
                by + " gave what " + Counts.of(machines.size(), "machine") + " used",
                null);
          }
          return table.result(sheet.days() - known, known, store);
        });
  }

  private static void sample(
      Session s,
      UsageSheet sheet,
      Map<String, ListedMachines.Named> machines,
      Instant latest,
      Row row) {
    String named = row.text("machine");
    ListedMachines.Named known = machines.computeIfAbsent(named, n -> ListedMachines.named(s, n));
    Optional<String> machine = known.id();
    if (machine.isEmpty()) {
      row.wrong("machine", known.why());
    }
    Optional<Instant> time =
        row.maybe(
            "time",
            x -> CsvTable.instant(x).filter(t -> t.isBefore(latest) && t.isAfter(Instant.EPOCH)),
            "is not an instant up to now, as 2026-11-01T00:00:00Z");
    if (row.text("time").isEmpty()) {
      row.wrong("time", "is empty");
    }
    int seconds =
        row.maybe(
                "seconds",
                x -> CsvTable.whole(x).filter(n -> n > 0 && n <= 300 && 300 % n == 0),
                "must divide 300: the mean of a longer time hides what happened in it")
            .orElse(300L)
            .intValue();
    float[] values = new float[Metric.values().length];
    boolean any = false;
    for (int i = 0; i < values.length; i++) {
      Optional<Double> value =
          row.maybe(METRICS.get(i), CsvTable::number, "is not a number from 0 on");
      values[i] = value.map(Double::floatValue).orElse(Float.NaN);
      any |= value.isPresent();
    }
    if (!any) {
      row.wrong("", "has none of the columns " + String.join(", ", METRICS));
    }
    if (machine.isPresent() && time.isPresent()) {
      sheet.add(machine.get(), time.get(), seconds, values);
    }
  }
}
