package bargelane.service.usage;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import bargelane.core.site.Inventory.Usage;
import bargelane.core.usage.Metric;
import bargelane.core.usage.UsageDay;
import bargelane.service.guest.GuestSink;
import bargelane.service.guest.Surveying;
import bargelane.service.platform.Db;
import bargelane.service.platform.TestDatabase;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import bargelane.service.usage.UsageDays.Key;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import java.io.IOException;
import java.time.Clock;
import java.time.Instant;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.OptionalLong;
import java.util.SortedMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
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
    database = TestDatabase.open();
    db = database.db();
    db.run(
        s -> {
          s.createNativeMutationQuery(
                  "insert into site (id, name, kind, address, created_at, findings)"
                      + " values ('s', 's', 'standin', '', now(), '[]')")
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
                s.createNativeQuery(
                        "select count(*) from usage_day where machine_id = 'm-1'", Long.class)
                    .getSingleResult());
    assertEquals(2, rows);
  }

  private static Usage counters(Instant at, double cpu, long written) {
    return new Usage(
        at,
        OptionalDouble.of(cpu),
        OptionalLong.of(1 << 30),
        OptionalLong.empty(),
        OptionalLong.empty(),
        OptionalLong.of(written),
        OptionalLong.empty(),
        OptionalLong.empty(),
        OptionalLong.empty());
  }

  @Test
  void countersBecomeSamplesAndASiteThatIsAwayHasAGap() {
    Instant start = Instant.parse("2026-03-01T23:55:00Z");
    Sites sites = mock(Sites.class);
    SiteDriver driver = mock(SiteDriver.class);
    when(sites.driver("s")).thenReturn(driver);
    when(driver.history()).thenReturn(Optional.empty());
    when(driver.usage())
        .thenReturn(Map.of("m-2", counters(start, 100, 0), "foreign", counters(start, 1, 1)))
        .thenReturn(Map.of("m-2", counters(start.plusSeconds(300), 400, 3000)))
        .thenThrow(new SiteException(SiteException.Kind.MAY_PASS, "unreachable", "away", null))
        .thenReturn(Map.of("m-2", counters(start.plusSeconds(1200), 900, 9000)))
        .thenReturn(Map.of("m-2", counters(start.plusSeconds(1500), 1050, 9000)));
    db.run(s -> s.find(SiteEntity.class, "s").scannedAt = start);
    UsageReading reading =
        new UsageReading(
            db,
            sites,
            new Surveying(db, mock(GuestSink.class), Clock.systemUTC()),
            Clock.systemUTC());
    UsageTask task = new UsageTask(db, sites, reading);
    for (int i = 0; i < 5; i++) {
      task.look();
    }
    SortedMap<LocalDate, UsageDay> held =
        db.tx(
            s ->
                s.doReturningWork(
                    c ->
                        UsageDays.read(
                            c, "m-2", LocalDate.of(2026, 3, 1), LocalDate.of(2026, 3, 2))));
    assertEquals(1, held.get(LocalDate.of(2026, 3, 1)).get(Metric.CPU, 287));
    assertEquals(10, held.get(LocalDate.of(2026, 3, 1)).get(Metric.WRITTEN_BYTES, 287));
    UsageDay next = held.get(LocalDate.of(2026, 3, 2));
    assertEquals(0.5f, next.get(Metric.CPU, 3));
    assertEquals(1 << 30, next.get(Metric.MEMORY, 3));
    for (int slot = 0; slot < 3; slot++) {
      assertFalse(next.held(slot), "nothing is made up for the time that it was away");
    }
  }

  @Test
  void twoReadingsOfTheSameDaysMeetAndLoseNothing() throws Exception {
    ExecutorService two = Executors.newFixedThreadPool(2);
    try {
      List<Future<?>> both = new ArrayList<>();
      for (int slot = 0; slot < 2; slot++) {
        Map<Key, UsageDay> days = new LinkedHashMap<>();
        for (int i = 0; i < 200; i++) {
          days.put(new Key("m-2", LocalDate.of(2020, 1, 1).plusDays(i)), day(slot, 7));
        }
        both.add(two.submit(() -> add(days)));
      }
      for (Future<?> one : both) {
        one.get();
      }
    } finally {
      two.shutdown();
    }
    SortedMap<LocalDate, UsageDay> held =
        db.tx(
            s ->
                s.doReturningWork(
                    c ->
                        UsageDays.read(
                            c, "m-2", LocalDate.of(2020, 1, 1), LocalDate.of(2020, 12, 31))));
    assertEquals(200, held.size());
    assertTrue(held.values().stream().allMatch(d -> d.held(0) && d.held(1)));
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

  @Test
  void monthsThatAreLongPastAreFoldedOnceAndWhatCameLateIsFoldedIn() {
    db.run(s -> s.createNativeMutationQuery("delete from usage_day").executeUpdate());
    LocalDate june = LocalDate.of(2026, 6, 1);
    Map<Key, UsageDay> days = new LinkedHashMap<>();
    for (int d = 0; d < 75; d++) {
      days.put(new Key("m-1", june.plusDays(d)), whole(d));
    }
    db.run(s -> s.doWork(c -> UsageDays.add(c, days)));
    Clock clock = Clock.fixed(Instant.parse("2026-09-15T00:00:00Z"), java.time.ZoneOffset.UTC);
    UsageMonths months = new UsageMonths(db, clock);
    assertEquals(1, months.fold(), "June ended 76 days ago, July 45");
    assertEquals(0, months.fold());
    db.run(
        s ->
            s.doWork(
                c -> {
                  assertEquals(
                      LocalDate.of(2026, 7, 1),
                      UsageDays.read(c, "m-1", june, june.plusDays(80)).firstKey());
                  assertEquals(
                      30 * UsageDay.SLOTS,
                      held(UsageMonths.read(c, "m-1", june, june.plusDays(29)).get(0)));
                }));
    // A list of old samples comes late: what was not held is folded in, what was stays.
    db.run(s -> s.doWork(c -> UsageDays.add(c, Map.of(new Key("m-1", june), whole(999)))));
    assertEquals(1, months.fold());
    db.run(
        s ->
            s.doWork(
                c ->
                    assertTrue(
                        UsageMonths.read(c, "m-1", june, june).get(0).highest(Metric.CPU, 0)
                            < 900)));
  }

  private static UsageDay whole(double cpu) {
    UsageDay day = new UsageDay();
    for (int i = 0; i < UsageDay.SLOTS; i++) {
      day.set(Metric.CPU, i, cpu);
    }
    return day;
  }

  private static int held(bargelane.core.usage.UsageMonth month) {
    int held = 0;
    for (int i = 0; i < month.slots(); i++) {
      held += month.held(i) ? 1 : 0;
    }
    return held;
  }
}
