package bargelane.service.machine;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.TestDatabase;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import bargelane.service.site.SiteEntity;
import com.github.kagkarlsson.scheduler.Scheduler;
import com.github.kagkarlsson.scheduler.event.AbstractSchedulerListener;
import com.github.kagkarlsson.scheduler.task.ExecutionComplete;
import java.io.IOException;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** Scans that begin by themselves: on a real database, with the scheduler itself. */
class ScanScheduleTest {

  /** Due so seldom that it falls due once in a test. */
  private static final String LEAP_DAY = "0 0 29 2 *";

  private final Clock clock = mock(Clock.class);
  private volatile Instant now = Instant.now();
  private final Semaphore scanning = new Semaphore(0);
  private final Semaphore ended = new Semaphore(0);
  private volatile boolean mayEnd;
  private TestDatabase database;
  private Db db;
  private Events events;
  private RunEngine engine;
  private ScanSchedule schedule;
  private Scheduler scheduler;

  /** Stands for the scan of a site: says that it began, and ends when it may. */
  private final class Scan implements RunKind {
    @Override
    public String name() {
      return ScanRun.KIND;
    }

    @Override
    public List<Step> steps(Work work) {
      return List.of(
          new Step(
              "scan",
              "Scan",
              w -> {
                scanning.release();
                return mayEnd ? Outcome.done("") : Outcome.waitFor("it goes on");
              }));
    }

    @Override
    public List<Step> backOut(Work work) {
      return List.of();
    }
  }

  @BeforeEach
  void open() throws IOException {
    when(clock.instant()).thenAnswer(x -> now);
    database = TestDatabase.open();
    db = database.db();
    events = new Events(db, clock, database.url, "bargelane", database.password);
    db.run(
        s ->
            s.createNativeMutationQuery(
                    "insert into site (id, name, kind, address, created_at, findings)"
                        + " values ('s', 'annex', 'csv', '', now(), '[]')")
                .executeUpdate());
    begin();
  }

  private void begin() {
    engine = new RunEngine(db, events, clock);
    engine.add(new Scan());
    schedule = new ScanSchedule(db, engine, events, clock);
    scheduler =
        Scheduler.create(db.dataSource(), engine.task(), schedule.task())
            .threads(4)
            .pollingInterval(Duration.ofMillis(50))
            .addSchedulerListener(
                new AbstractSchedulerListener() {
                  @Override
                  public void onExecutionComplete(ExecutionComplete execution) {
                    ended.release();
                  }
                })
            .build();
    schedule.open(scheduler);
    engine.open(scheduler);
  }

  @AfterEach
  void shut() throws IOException {
    mayEnd = true;
    scheduler.stop();
    events.close();
    database.close();
  }

  private List<Instant> planned() {
    return scheduler.getScheduledExecutions().stream()
        .filter(e -> e.getTaskInstance().getTaskName().equals("scan-schedule"))
        .map(e -> e.getExecutionTime())
        .toList();
  }

  private String cron() {
    return db.tx(s -> s.find(SiteEntity.class, "s").schedule);
  }

  private long scans() {
    return db.tx(
        s ->
            s.createNativeQuery("select count(*) from run where kind = 'scan'", Long.class)
                .getSingleResult());
  }

  @Test
  void aSiteIsScannedAsItsScheduleSays() {
    now = Instant.parse("2027-03-01T10:00:00Z");
    schedule.set("annex", " 30 2 * * * ", "ada");
    assertEquals("30 2 * * *", cron());
    assertEquals(List.of(Instant.parse("2027-03-02T02:30:00Z")), planned());
    schedule.set("annex", "0 12 * * *", "ada");
    assertEquals(List.of(Instant.parse("2027-03-01T12:00:00Z")), planned());
    schedule.set("annex", "", "ada");
    assertEquals(List.of(), planned());
    assertEquals("", cron());
  }

  @Test
  void nonsenseIsRefusedAndChangesNothing() {
    schedule.set("annex", "30 2 * * *", "ada");
    List<Instant> before = planned();
    ProblemException refused =
        assertThrows(ProblemException.class, () -> schedule.set("annex", "at night", "ada"));
    assertEquals("schedule-malformed", refused.code());
    assertTrue(refused.getMessage().contains("at night"), refused.getMessage());
    assertEquals("30 2 * * *", cron());
    assertEquals(before, planned());
    assertThrows(ProblemException.class, () -> schedule.set("nowhere", "30 2 * * *", "ada"));
  }

  @Test
  void whatFellDueWhileNoNodeRanIsMadeUpForByOneScan() throws Exception {
    // It fell due on 29 February 2024, and nobody looked since.
    now = Instant.parse("2024-02-01T00:00:00Z");
    schedule.set("annex", LEAP_DAY, "ada");
    now = Instant.now();
    begin();
    scheduler.start();
    assertTrue(scanning.tryAcquire(30, TimeUnit.SECONDS));
    mayEnd = true;
    awaitPlannedAfter(now);
    assertEquals(1, scans());
  }

  @Test
  void aSiteThatIsBeingScannedIsNotScannedTwice() throws Exception {
    schedule.set("annex", LEAP_DAY, "ada");
    scheduler.start();
    schedule.now("annex", "ada");
    assertTrue(scanning.tryAcquire(30, TimeUnit.SECONDS));
    // It falls due while that scan goes on.
    scheduler.reschedule(schedule.task().instance("s"), Instant.now().minusSeconds(1));
    awaitPlannedAfter(Instant.now());
    assertEquals(1, scans());
  }

  private void awaitPlannedAfter(Instant moment) throws InterruptedException {
    while (planned().stream().noneMatch(at -> at.isAfter(moment))) {
      assertTrue(ended.tryAcquire(30, TimeUnit.SECONDS), () -> "planned " + planned());
    }
  }
}
