package bargelane.service.usage;

import bargelane.core.usage.UsageDay;
import java.io.DataOutputStream;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.sql.Connection;
import java.sql.Date;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.LocalDate;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.SortedMap;
import java.util.TreeMap;
import org.postgresql.PGConnection;
import org.postgresql.copy.PGCopyOutputStream;

/** Packed days of samples in the database: one row a machine and day. */
final class UsageDays {

  /** A machine's day. */
  record Key(String machine, LocalDate day) {}

  private static final byte[] SIGNATURE = {
    'P', 'G', 'C', 'O', 'P', 'Y', '\n', (byte) 0xff, '\r', '\n', 0
  };

  /** Names our lock among the database's advisory ones. */
  private static final long ADDING = 0x75736167655f6461L;

  private static final LocalDate POSTGRES_EPOCH = LocalDate.of(2000, 1, 1);
  private static final int COPY_BUFFER = 1 << 16;

  private UsageDays() {}

  /**
   * Adds samples to what is held. Days that are new are copied in (COPY in binary format,
   * PostgreSQL's documentation of COPY, "Binary Format"); the others are read, overlaid and
   * replaced. Each day's digest goes with it.
   */
  static void add(Connection db, Map<Key, UsageDay> days) throws SQLException {
    if (days.isEmpty()) {
      return;
    }
    lock(db);
    Map<Key, UsageDay> fresh = new LinkedHashMap<>(days);
    Map<Key, UsageDay> known = held(db, days.keySet());
    try (PreparedStatement update =
        db.prepareStatement("update usage_day set packed = ? where machine_id = ? and day = ?")) {
      for (Map.Entry<Key, UsageDay> e : known.entrySet()) {
        UsageDay day = e.getValue();
        day.overlay(fresh.remove(e.getKey()));
        update.setBytes(1, day.pack());
        update.setString(2, e.getKey().machine());
        update.setObject(3, e.getKey().day());
        update.addBatch();
      }
      update.executeBatch();
    }
    if (!fresh.isEmpty()) {
      copy(db, fresh);
    }
    UsageDigests.put(db, known, true);
    // One that has a digest already was folded: what comes late for it is not in that.
    UsageDigests.put(db, fresh, false);
  }

  /** Whoever else adds or folds days waits here, and then finds what was done. */
  static void lock(Connection db) throws SQLException {
    try (PreparedStatement lock = db.prepareStatement("select pg_advisory_xact_lock(?)")) {
      lock.setLong(1, ADDING);
      lock.execute();
    }
  }

  private static Map<Key, UsageDay> held(Connection db, Collection<Key> keys) throws SQLException {
    Map<Key, UsageDay> held = new LinkedHashMap<>();
    try (PreparedStatement select =
        db.prepareStatement(
            "select d.machine_id, d.day, d.packed from usage_day d"
                + " join unnest(?::text[], ?::date[]) k(machine_id, day) using (machine_id, day)"
                + " for update of d")) {
      select.setArray(
          1, db.createArrayOf("text", keys.stream().map(Key::machine).toArray(String[]::new)));
      select.setArray(
          2,
          db.createArrayOf(
              "date", keys.stream().map(k -> Date.valueOf(k.day())).toArray(Date[]::new)));
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          held.put(
              new Key(rows.getString(1), rows.getObject(2, LocalDate.class)),
              UsageDay.unpack(rows.getBytes(3)));
        }
      }
    }
    return held;
  }

  private static void copy(Connection db, Map<Key, UsageDay> days) throws SQLException {
    try (DataOutputStream out =
        new DataOutputStream(
            new PGCopyOutputStream(
                db.unwrap(PGConnection.class),
                "copy usage_day (machine_id, day, packed) from stdin (format binary)",
                COPY_BUFFER))) {
      out.write(SIGNATURE);
      out.writeInt(0); // flags
      out.writeInt(0); // no header extension
      for (Map.Entry<Key, UsageDay> e : days.entrySet()) {
        byte[] machine = e.getKey().machine().getBytes(StandardCharsets.UTF_8);
        byte[] packed = e.getValue().pack();
        out.writeShort(3);
        out.writeInt(machine.length);
        out.write(machine);
        out.writeInt(Integer.BYTES);
        out.writeInt((int) (e.getKey().day().toEpochDay() - POSTGRES_EPOCH.toEpochDay()));
        out.writeInt(packed.length);
        out.write(packed);
      }
      out.writeShort(-1);
    } catch (IOException e) {
      throw e.getCause() instanceof SQLException cause
          ? cause
          : new SQLException("copying usage failed", e);
    }
  }

  /** A machine's days from one date to another, both included. */
  static SortedMap<LocalDate, UsageDay> read(
      Connection db, String machine, LocalDate from, LocalDate to) throws SQLException {
    SortedMap<LocalDate, UsageDay> days = new TreeMap<>();
    try (PreparedStatement select =
        db.prepareStatement(
            "select day, packed from usage_day where machine_id = ? and day between ? and ?")) {
      select.setString(1, machine);
      select.setObject(2, from);
      select.setObject(3, to);
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next()) {
          days.put(rows.getObject(1, LocalDate.class), UsageDay.unpack(rows.getBytes(2)));
        }
      }
    }
    return days;
  }
}
