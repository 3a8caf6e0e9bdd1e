package bargelane.service.replication;

import bargelane.api.PassDay;
import bargelane.service.platform.Db;
import java.util.List;
import org.hibernate.Session;

/**
 * How replication went, by day (UTC): of passes that are there still, and of the sums that are kept
 * of those that are not.
 */
public final class PassDays {

  /** Deletes the sums of days that are looked back at no more; see {@link Passes#TIDY}. */
  public static final String PAST =
      "delete from pass_day where day < cast(cast(?1 as timestamptz) at time zone 'UTC' as date)";

  /** A pass as a day's part. */
  static final String OF_PASS =
      "tow_id, cast(ended_at at time zone 'UTC' as date) as day, 1 as passes,"
          + " case when state = 'failed' then 1 else 0 end as failed, read as bytes_read,"
          + " sent as bytes_sent, cast(extract(epoch from ended_at - started_at) * 1000 as bigint) as work_ms,"
          + " exposure_ms, coalesce(over_rpo_ms, 0) as over_rpo_ms";

  /** Parts of days, added up. */
  static final String SUMS =
      "tow_id, day, sum(passes), sum(failed), sum(bytes_read), sum(bytes_sent), sum(work_ms),"
          + " max(exposure_ms), sum(over_rpo_ms)";

  private static final String DAYS =
      "select "
          + SUMS
          + " from (select * from pass_day where tow_id = ?1 union all select "
          + OF_PASS
          + " from pass where tow_id = ?1 and ended_at is not null) parts"
          + " group by tow_id, day order by day desc";

  private final Db db;

  public PassDays(Db db) {
    this.db = db;
  }

  /** The days of a tow on which passes ended, the newest first. */
  public List<PassDay> of(String towId, int most) {
    return db.tx(
        s ->
            s
                .createNativeQuery(DAYS, Object[].class)
                .setParameter(1, towId)
                .setMaxResults(most)
                .getResultList()
                .stream()
                .map(PassDays::view)
                .toList());
  }

  private static PassDay view(Object[] row) {
    return new PassDay(
        row[1].toString(),
        number(row[2]),
        number(row[3]),
        number(row[4]),
        number(row[5]),
        number(row[6]) / 1000.0,
        row[7] == null ? null : number(row[7]) / 1000.0,
        number(row[8]) / 1000.0);
  }

  private static long number(Object value) {
    return ((Number) value).longValue();
  }

  static void forget(Session s, String towId) {
    s.createNativeMutationQuery("delete from pass_day where tow_id = ?1")
        .setParameter(1, towId)
        .executeUpdate();
  }
}
