package bargelane.service.usage;

import bargelane.core.usage.LoadProfile;
import bargelane.core.usage.UsageDay;
import bargelane.core.usage.UsageDigest;
import bargelane.service.usage.UsageDays.Key;
import java.sql.Connection;
import java.sql.Date;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.LocalDate;
import java.util.Collection;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.Map;
import org.postgresql.PGStatement;

/** Digests of machines' days in the database. */
public final class UsageDigests {

  /** Machine-days that are digested at once: 9 KiB each. */
  private static final int BLOCK = 1000;

  private UsageDigests() {}

  /**
   * Stores the digests of days.
   *
   * @param instead of those that are held; or else those stay
   */
  static void put(Connection db, Map<Key, UsageDay> days, boolean instead) throws SQLException {
    if (days.isEmpty()) {
      return;
    }
    String[] machines = new String[days.size()];
    Date[] dates = new Date[days.size()];
    byte[][] packed = new byte[days.size()][];
    int n = 0;
    for (Map.Entry<Key, UsageDay> e : days.entrySet()) {
      machines[n] = e.getKey().machine();
      dates[n] = Date.valueOf(e.getKey().day());
      packed[n++] = UsageDigest.pack(e.getValue());
    }
    try (PreparedStatement put =
        db.prepareStatement(
            "insert into usage_digest select * from unnest(?::text[], ?::date[], ?::bytea[])"
                + " on conflict (machine_id, day) do "
                + (instead ? "update set packed = excluded.packed" : "nothing"))) {
      put.setArray(1, db.createArrayOf("text", machines));
      put.setArray(2, db.createArrayOf("date", dates));
      put.setArray(3, db.createArrayOf("bytea", packed));
      put.executeUpdate();
    }
  }

  /** Digests all days, in one go through them, in the caller's transaction. */
  public static void catchUp(Connection db) throws SQLException {
    // In their order, so that a machine's days lie together.
    Map<Key, UsageDay> days = new LinkedHashMap<>();
    try (PreparedStatement select =
        db.prepareStatement("select machine_id, day, packed from usage_day")) {
      // A cursor, so that no more than a block is held; bytes as bytes.
      select.setFetchSize(BLOCK);
      select.unwrap(PGStatement.class).setPrepareThreshold(-1);
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          days.put(
              new Key(rows.getString(1), rows.getObject(2, LocalDate.class)),
              UsageDay.unpack(rows.getBytes(3)));
          if (days.size() == BLOCK) {
            put(db, days, true);
            days.clear();
          }
        }
      }
    }
    put(db, days, true);
  }

  /** Reads the profiles of many machines over one window; a statement that is used again. */
  public static final class Reader implements AutoCloseable {

    private final Connection db;
    private final PreparedStatement select;
    private final LocalDate from;
    private final int days;

    /**
     * @param days whole days from {@code from} on
     */
    public Reader(Connection db, LocalDate from, int days) throws SQLException {
      this.db = db;
      this.from = from;
      this.days = days;
      select =
          db.prepareStatement(
              "select machine_id, day - ?, packed from usage_digest"
                  + " where machine_id = any(?) and day >= ? and day < ?");
      // Bytes as bytes from the first time on, and not as digits.
      select.unwrap(PGStatement.class).setPrepareThreshold(-1);
    }

    /** The profiles of those machines that have any sample in the window. */
    public Map<String, LoadProfile> profiles(Collection<String> machines) throws SQLException {
      Map<String, byte[][]> digests = new HashMap<>();
      select.setObject(1, from);
      select.setArray(2, db.createArrayOf("text", machines.toArray()));
      select.setObject(3, from);
      select.setObject(4, from.plusDays(days));
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          digests.computeIfAbsent(rows.getString(1), m -> new byte[days][])[rows.getInt(2)] =
              rows.getBytes(3);
        }
      }
      Map<String, LoadProfile> profiles = new HashMap<>();
      digests.forEach((machine, all) -> profiles.put(machine, new LoadProfile(from, all)));
      return profiles;
    }

    @Override
    public void close() throws SQLException {
      select.close();
    }
  }
}
