package bargelane.api;

/**
 * When a site is scanned by itself.
 *
 * @param cron minute, hour, day of the month, month and day of the week, in UTC, as cron of POSIX
 *     (crontab) has them; empty for never
 */
public record SiteSchedule(String cron) {}
