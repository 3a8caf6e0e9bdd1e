package bargelane.service.usage;

import bargelane.core.usage.UsageDay;
import bargelane.core.usage.UsageMonth;
import bargelane.core.usage.UsageSeries;
import bargelane.service.platform.Db;
import com.github.kagkarlsson.scheduler.task.helper.RecurringTask;
import com.github.kagkarlsson.scheduler.task.helper.Tasks;
import com.github.kagkarlsson.scheduler.task.schedule.FixedDelay;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.Clock;
import java.time.Duration;
import java.time.LocalDate;
import java.time.YearMonth;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;

/**
 * Folds the days of months that are long past: one row a machine and month takes their place. A
 * month is folded in one transaction with the removal of its days, so that a kill leaves either.
 */
public final class UsageMonths {

  /**
   * A month is folded when it ended so long ago: what windows of 30 and 60 days need stays exact.
   */
  static final Duration EXACT = Duration.ofDays(62);

  /** Machine-months in one transaction: up to 280 KiB each while they are folded. */
  private static final int BLOCK = 50;

  private final Db db;
  private final Clock clock;

  public UsageMonths(Db db, Clock clock) {
    this.db = db;
    this.clock = clock;
  }

  public RecurringTask<Void> task() {
    return Tasks.recurring("fold-usage", FixedDelay.of(Duration.ofHours(6)))
        .execute((instance, context) -> fold());
  }

  /** Folds all that is to be folded; gives the number of machine-months. */
  public int fold() {
    YearMonth month = YearMonth.from(clock.instant().atZone(java.time.ZoneOffset.UTC));
    while (UsageSeries.start(month.atDay(1)).isAfter(clock.instant().minus(EXACT))) {
      month = month.minusMonths(1);
    }
    // The month that holds this instant is not over; those before it are.
    LocalDate before = month.atDay(1);
    int all = 0;
    int folded;
    do {
      folded = db.tx(s -> s.doReturningWork(c -> block(c, before)));
      all += folded;
    } while (folded == BLOCK);
    return all;
  }

  private record Key(String machine, YearMonth month) {}

  private static int block(Connection db, LocalDate before) throws SQLException {
    UsageDays.lock(db);
    List<Key> keys = new ArrayList<>();
    try (PreparedStatement select =
        db.prepareStatement(
            "select machine_id, date_trunc('month', day)::date from usage_day where day < ?"
                + " group by 1, 2 order by 1, 2 limit ?")) {
      select.setObject(1, before);
      select.setInt(2, BLOCK);
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          keys.add(new Key(rows.getString(1), YearMonth.from(rows.getObject(2, LocalDate.class))));
        }
      }
    }
    try (PreparedStatement put =
            db.prepareStatement(
                "insert into usage_month (machine_id, month, packed) values (?, ?, ?)"
                    + " on conflict (machine_id, month) do update set packed = excluded.packed");
        PreparedStatement drop =
            db.prepareStatement(
                "delete from usage_day where machine_id = ? and day between ? and ?")) {
      for (Key key : keys) {
        LocalDate first = key.month().atDay(1);
        LocalDate last = key.month().atEndOfMonth();
        Map<LocalDate, UsageDay> days = UsageDays.read(db, key.machine(), first, last);
        List<UsageMonth> known = read(db, key.machine(), first, last);
        UsageMonth month = known.isEmpty() ? new UsageMonth(key.month()) : known.get(0);
        month.fold(days);
        put.setString(1, key.machine());
        put.setObject(2, first);
        put.setBytes(3, month.pack());
        put.addBatch();
        drop.setString(1, key.machine());
        drop.setObject(2, first);
        drop.setObject(3, last);
        drop.addBatch();
      }
      put.executeBatch();
      drop.executeBatch();
    }
    return keys.size();
  }

  /** A machine's folded months that have a day between two, both included; the oldest first. */
  static List<UsageMonth> read(Connection db, String machine, LocalDate from, LocalDate to)
      throws SQLException {
    List<UsageMonth> months = new ArrayList<>();
    try (PreparedStatement select =
        db.prepareStatement(
            "select month, packed from usage_month where machine_id = ? and month between ? and ? order by month")) {
      select.setString(1, machine);
      select.setObject(2, from.withDayOfMonth(1));
      select.setObject(3, to);
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          months.add(
              UsageMonth.unpack(
                  YearMonth.from(rows.getObject(1, LocalDate.class)), rows.getBytes(2)));
        }
      }
    }
    return months;
  }
}
