package bargelane.service.site;

import com.github.kagkarlsson.scheduler.task.schedule.CronSchedule;
import com.github.kagkarlsson.scheduler.task.schedule.CronStyle;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.Optional;

/** When sites are scanned on schedule: five fields, as in crontab(5), in UTC. */
public final class Cron {

  private Cron() {}

  /**
   * When an expression is due after an instant; none for an empty one.
   *
   * @throws RuntimeException if the expression can't be read; its message says where
   */
  public static Optional<Instant> next(String cron, Instant after) {
    return cron.isEmpty()
        ? Optional.empty()
        : Optional.of(
            new CronSchedule(cron, ZoneOffset.UTC, CronStyle.UNIX).getInitialExecutionTime(after));
  }
}
