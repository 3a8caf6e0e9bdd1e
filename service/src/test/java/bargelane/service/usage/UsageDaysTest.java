package bargelane.service.usage;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.usage.Metric;
import bargelane.core.usage.UsageDay;
import bargelane.service.TestDatabase;
import bargelane.service.db.Db;
import bargelane.service.usage.UsageDays.Key;
import java.io.IOException;
import java.time.LocalDate;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.SortedMap;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;

/** Packed days in a real PostgreSQL. */
class UsageDaysTest {

  private static final LocalDate DAY = LocalDate.of(2026, 11, 1);
  private static TestDatabase database;
  private static Db db;

  @BeforeAll
  static void start() throws IOException {
    database = new TestDatabase();
    db = new Db(database.url, "bargelane", database.password, List.of());
    db.run(
        s -> {
          s.createNativeMutationQuery(
                  "insert into credential (id, name, sealed, changed_at) values ('c', 'c', '', now())")
              .executeUpdate();
          s.createNativeMutationQuery(
                  "insert into site (id, name, kind, address, credential_id, created_at, findings)"
                      + " values ('s', 's', 'standin', '', 'c', now(), '[]')")
              .executeUpdate();
          for (String id : List.of("m-1", "m-2")) {
            s.createNativeMutationQuery(
                    "insert into machine (id, site_id, platform_id, name, facts, first_seen, last_seen) values"
                        + " (?1, 's', ?1, ?1, '{\"nics\": [{\"address\": \"10.20.8.21\"}, {\"address\": \"10.20.8.21/24\"},"
                        + " {\"address\": \"nonsense\"}, {\"address\": \"fd00::8:21\"}, {\"address\": \"fe80::1\"}]}', now(), now())")
                .setParameter(1, id)
                .executeUpdate();
          }
        });
  }

  @AfterAll
  static void stop() throws IOException {
    db.close();
    database.close();
  }

  private static UsageDay day(int slot, double cpu) {
    UsageDay day = new UsageDay();
    day.set(Metric.CPU, slot, cpu);
    return day;
  }

  private static void add(Map<Key, UsageDay> days) {
    db.run(s -> s.doWork(c -> UsageDays.add(c, days)));
  }

  @Test
  void newDaysAreCopiedInAndKnownOnesOverlaid() {
    Map<Key, UsageDay> first = new LinkedHashMap<>();
    first.put(new Key("m-1", DAY), day(0, 1));
    first.put(new Key("m-1", DAY.minusDays(10000)), day(5, 2));
    add(first);
    Map<Key, UsageDay> second = new LinkedHashMap<>();
    second.put(new Key("m-1", DAY), day(1, 3));
    second.put(new Key("m-2", DAY), day(2, 4));
    add(second);
    add(second);
    add(Map.of());
    SortedMap<LocalDate, UsageDay> held =
        db.tx(s -> s.doReturningWork(c -> UsageDays.read(c, "m-1", DAY.minusDays(30), DAY)));
    assertEquals(List.of(DAY), List.copyOf(held.keySet()));
    assertEquals(1, held.get(DAY).get(Metric.CPU, 0));
    assertEquals(3, held.get(DAY).get(Metric.CPU, 1));
    long rows =
        db.tx(
            s ->
                s.createNativeQuery("select count(*) from usage_day", Long.class)
                    .getSingleResult());
    assertEquals(3, rows);
  }

  @Test
  void aBlockThatCantBeStoredLeavesNothing() {
    Map<Key, UsageDay> days = new LinkedHashMap<>();
    days.put(new Key("m-2", DAY.plusDays(40)), day(0, 1));
    days.put(new Key("nobody", DAY), day(0, 1));
    assertThrows(RuntimeException.class, () -> add(days));
    assertTrue(
        db.tx(
                s ->
                    s.doReturningWork(
                        c -> UsageDays.read(c, "m-2", DAY.plusDays(40), DAY.plusDays(40))))
            .isEmpty());
  }

  @Test
  void theDatabaseTellsAMachinesAddressesFromItsFacts() {
    assertEquals(
        List.of("10.20.8.21", "fd00::8:21"),
        db.tx(
            s ->
                s.createNativeQuery(
                        "select host(address) from machine_address where machine_id = 'm-1' order by address",
                        String.class)
                    .getResultList()));
  }
}
