package bargelane.service.run;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNotNull;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import bargelane.api.Problem;
import bargelane.core.run.RunState;
import bargelane.core.run.StepState;
import bargelane.service.account.Accounts;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.SettingEntity;
import bargelane.service.platform.TestDatabase;
import bargelane.service.platform.Upkeep;
import bargelane.sites.SiteException;
import com.github.kagkarlsson.scheduler.Scheduler;
import java.io.IOException;
import java.sql.SQLException;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.function.BooleanSupplier;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** Runs on a real database: in order, once, retried, backed out, taken over. */
class RunEngineTest {

  private static TestDatabase database;
  private static Db db;
  private static Events events;

  private final List<String> did = Collections.synchronizedList(new ArrayList<>());
  private RunEngine engine;
  private Scheduler scheduler;

  @BeforeAll
  static void open() throws IOException {
    database = new TestDatabase();
    db = database.db();
    events = new Events(db, Clock.systemUTC(), database.url, "bargelane", database.password);
  }

  @AfterAll
  static void shut() throws IOException {
    events.close();
    db.close();
    database.close();
  }

  @BeforeEach
  void begin() {
    engine = new RunEngine(db, events, Clock.systemUTC());
  }

  @AfterEach
  void end() {
    if (scheduler != null) {
      scheduler.stop();
    }
  }

  private void drive() {
    scheduler =
        Scheduler.create(db.dataSource(), engine.task())
            .threads(4)
            .pollingInterval(Duration.ofMillis(50))
            .build();
    scheduler.start();
    engine.open(scheduler);
  }

  private record Kind(
      String name, List<Step> forward, List<Step> back, boolean patient, boolean routine)
      implements RunKind {

    Kind(String name, List<Step> forward, List<Step> back, boolean patient) {
      this(name, forward, back, patient, false);
    }

    @Override
    public List<Step> steps(Work work) {
      return forward;
    }

    @Override
    public List<Step> backOut(Work work) {
      return back;
    }

    @Override
    public Duration patience() {
      return patient ? Duration.ofSeconds(30) : Duration.ZERO;
    }
  }

  private Step step(String name, Step.Action action) {
    return new Step(name, name, action);
  }

  private Step says(String name) {
    return step(
        name,
        w -> {
          did.add(name);
          return Outcome.done("said " + name);
        });
  }

  private String start(String kind, String... machines) {
    String id =
        db.tx(
            s ->
                engine.start(
                    s,
                    new RunEngine.Start(
                        kind,
                        kind,
                        new Subject("site", "s", "s"),
                        null,
                        Map.of("x", 1),
                        List.of(machines),
                        "tester")));
    engine.wake(id);
    return id;
  }

  private RunEntity run(String id) {
    return db.tx(s -> s.find(RunEntity.class, id));
  }

  private static void until(BooleanSupplier holds) throws InterruptedException {
    CountDownLatch never = new CountDownLatch(1);
    for (int i = 0; i < 400 && !holds.getAsBoolean(); i++) {
      never.await(25, TimeUnit.MILLISECONDS);
    }
    assertTrue(holds.getAsBoolean());
  }

  @Test
  void stepsAreDoneInOrderEachOnceAndRecorded() throws InterruptedException {
    engine.add(new Kind("order", List.of(says("a"), says("b"), says("c")), List.of(), true));
    drive();
    String id = start("order");
    until(() -> run(id).endedAt != null);
    assertEquals(List.of("a", "b", "c"), did);
    assertEquals(RunState.DONE, run(id).state);
    List<StepEntity> steps =
        db.tx(
            s ->
                Db.list(
                    s, StepEntity.class, "from StepEntity where runId = ?1 order by number", id));
    assertTrue(
        steps.stream()
            .allMatch(
                s -> s.state == StepState.DONE && s.attempts == 1 && s.detail.startsWith("said")));
  }

  @Test
  void aFailureThatMayPassIsTriedAgain() throws InterruptedException {
    AtomicInteger tries = new AtomicInteger();
    engine.add(
        new Kind(
            "shaky",
            List.of(
                step(
                    "shaky",
                    w -> {
                      if (tries.incrementAndGet() < 2) {
                        throw new SiteException(
                            SiteException.Kind.MAY_PASS, "away", "the site is away", null);
                      }
                      return Outcome.done("");
                    })),
            List.of(says("never")),
            true));
    drive();
    String id = start("shaky");
    until(() -> run(id).endedAt != null);
    assertEquals(RunState.DONE, run(id).state);
    assertEquals(2, tries.get());
    assertEquals(List.of(), did);
  }

  @Test
  void whatAStepMakesIsThereOnceThoughTheStepDiedInMaking() throws InterruptedException {
    AtomicInteger tries = new AtomicInteger();
    engine.add(
        new Kind(
            "maker",
            List.of(
                step(
                    "make",
                    w -> {
                      w.makeOnce(
                          Note.of("made", String.class),
                          s -> {
                            SettingEntity made = new SettingEntity();
                            made.name = "made-" + tries.incrementAndGet();
                            made.value = w.runId();
                            s.persist(made);
                            s.flush();
                            if (tries.get() == 1) {
                              throw new SiteException(
                                  SiteException.Kind.MAY_PASS, "cut", "killed in the middle", null);
                            }
                            return made.name;
                          });
                      if (tries.incrementAndGet() == 3) {
                        throw new SiteException(
                            SiteException.Kind.MAY_PASS, "cut", "killed right after", null);
                      }
                      return Outcome.done(w.need(Note.of("made", String.class)));
                    })),
            List.of(),
            true));
    drive();
    String id = start("maker");
    until(() -> run(id).endedAt != null);
    assertEquals(RunState.DONE, run(id).state);
    assertEquals(
        List.of("made-2"),
        db.tx(
            s ->
                Db.list(
                    s,
                    String.class,
                    "select name from SettingEntity where name like 'made-%' and value = ?1",
                    id)));
  }

  @Test
  void aFailureForGoodIsBackedOutAndTold() throws InterruptedException {
    engine.add(
        new Kind(
            "fails",
            List.of(
                says("a"),
                step(
                    "b",
                    w -> {
                      throw new RunFailure("no-room", "there is no room", "make room");
                    }),
                says("c")),
            List.of(
                says("undo-1"),
                step(
                    "undo-2",
                    w -> {
                      throw new SiteException(
                          SiteException.Kind.FINAL, "gone", "the site is gone", null);
                    }),
                says("undo-3")),
            true));
    drive();
    String id = start("fails");
    until(() -> run(id).endedAt != null);
    assertEquals(
        List.of("a", "undo-1", "undo-3"), did, "what can't be taken back does not stop the rest");
    RunEntity ended = run(id);
    assertEquals(RunState.FAILED, ended.state);
    assertTrue(ended.problem.contains("no-room") && ended.problem.contains("make room"));
  }

  @Test
  void notesSurviveAndWhatIsDoneIsNotDoneAgainByTheNextDriver() throws InterruptedException {
    CountDownLatch reached = new CountDownLatch(1);
    engine.add(
        new Kind(
            "handed-over",
            List.of(
                says("first"),
                step(
                    "second",
                    w -> {
                      w.once(Note.of("name", String.class), () -> "made once");
                      reached.countDown();
                      return Outcome.waitFor("for the next life");
                    })),
            List.of(),
            true));
    drive();
    String id = start("handed-over");
    assertTrue(reached.await(10, TimeUnit.SECONDS));
    scheduler.stop();
    RunEngine next = new RunEngine(db, events, Clock.systemUTC());
    List<String> notes = Collections.synchronizedList(new ArrayList<>());
    next.add(
        new Kind(
            "handed-over",
            List.of(
                says("first"),
                step(
                    "second",
                    w -> {
                      notes.add(w.once(Note.of("name", String.class), () -> "made twice"));
                      return Outcome.done("");
                    })),
            List.of(),
            true));
    engine = next;
    drive();
    until(() -> run(id).endedAt != null);
    assertEquals(List.of("first"), did);
    assertEquals(List.of("made once"), notes);
    assertTrue(run(id).epoch >= 2);
  }

  @Test
  void aDriverThatWasOvertakenWritesNothingMore() throws InterruptedException {
    List<String> caught = Collections.synchronizedList(new ArrayList<>());
    engine.add(
        new Kind(
            "overtaken",
            List.of(
                step(
                    "slow",
                    w -> {
                      if (w.has(Note.of("seen", Boolean.class))) {
                        return Outcome.done("by the second driver");
                      }
                      w.put(Note.of("seen", Boolean.class), true);
                      db.run(s -> s.find(RunEntity.class, w.runId()).epoch++);
                      try {
                        w.put(Note.of("too-late", Boolean.class), true);
                      } catch (Work.StaleEpoch e) {
                        caught.add("stale");
                        throw e;
                      }
                      return Outcome.done("by the first driver");
                    })),
            List.of(),
            true));
    drive();
    String id = start("overtaken");
    until(() -> run(id).endedAt != null);
    assertEquals(List.of("stale"), caught);
    assertTrue(!run(id).notes.contains("too-late"));
  }

  @Test
  void aRunThatIsGivenUpIsBackedOut() throws InterruptedException {
    engine.add(
        new Kind(
            "long",
            List.of(step("wait", w -> Outcome.waitFor("for ever"))),
            List.of(says("undone")),
            true));
    drive();
    String id = start("long");
    until(
        () ->
            db.tx(
                s ->
                    !Db.list(
                            s,
                            Object.class,
                            "from StepEntity where runId = ?1 and state = ?2",
                            id,
                            StepState.RUNNING)
                        .isEmpty()));
    engine.giveUp(id, "enough", "it was enough");
    until(() -> run(id).endedAt != null);
    assertEquals(List.of("undone"), did);
    assertTrue(run(id).problem.contains("enough"));
  }

  @Test
  void aMachineHasAtMostOneOpenRunThatChangesIt() throws InterruptedException {
    db.run(
        s -> {
          s.createNativeMutationQuery(
                  "insert into site (id, name, kind, address, created_at, findings) values ('s', 's', 'k', 'a', now(), '[]') on conflict do nothing")
              .executeUpdate();
          s.createNativeMutationQuery(
                  "insert into machine (id, site_id, platform_id, name, facts, first_seen, last_seen) values ('m-1', 's', 'p', 'm', '{}', now(), now()) on conflict do nothing")
              .executeUpdate();
        });
    CountDownLatch go = new CountDownLatch(1);
    engine.add(
        new Kind(
            "changes",
            List.of(
                step("hold", w -> go.getCount() > 0 ? Outcome.waitFor("held") : Outcome.done(""))),
            List.of(),
            true));
    drive();
    String first = start("changes", "m-1");
    ProblemException busy = assertThrows(ProblemException.class, () -> start("changes", "m-1"));
    assertEquals("machine-busy", busy.code());
    go.countDown();
    until(() -> run(first).endedAt != null);
    String second = start("changes", "m-1");
    until(() -> run(second).endedAt != null);
  }

  @Test
  void oldPassesGoAndWhatPeopleAskedForStays() throws InterruptedException {
    engine.add(new Kind("pass", List.of(says("p")), List.of(), true, true));
    engine.add(new Kind("asked", List.of(says("q")), List.of(), true));
    drive();
    String pass = start("pass");
    String asked = start("asked");
    until(() -> run(pass).endedAt != null && run(asked).endedAt != null);
    Clock later = Clock.fixed(Instant.now().plus(Upkeep.KEPT).plusSeconds(60), ZoneOffset.UTC);
    assertTrue(new Upkeep(db, later).tidy() > 0);
    assertEquals(null, run(pass));
    assertNotNull(run(asked));
  }

  @Test
  void eventsComeInOrderAndWakeWhoeverWaits() throws InterruptedException {
    long seen = events.rings();
    db.run(s -> events.tell(s, "site", "s", null, "something", Map.of("n", 1)));
    events.await(seen, 5000);
    assertTrue(events.rings() > seen);
    long last = events.last().get(0).id();
    for (int i = 0; i < 5; i++) {
      String text = "event " + i;
      db.run(s -> events.tell(s, "site", "s", null, text, null));
    }
    assertEquals(
        List.of("event 0", "event 1", "event 2", "event 3", "event 4"),
        events.after(last, 10).stream().map(e -> e.text()).toList());
  }

  @Test
  void aDatabaseThatIsAwayOrFullIsToldFromAStatementThatIsWrong() {
    assertEquals(
        Optional.of("could not extend file: No space left on device"),
        Db.trouble(
            new IllegalStateException(
                new SQLException("could not extend file: No space left on device", "53100"))));
    assertEquals(
        Optional.of("connection refused"),
        Db.trouble(new SQLException("connection refused", "08001")));
    assertEquals(Optional.empty(), Db.trouble(new SQLException("syntax error", "42601")));
    assertEquals(Optional.empty(), Db.trouble(new IllegalStateException("no database at all")));
  }

  @Test
  void sessionsEndAndWrongPasswordsAreRefused() {
    Clock clock = mock(Clock.class);
    Instant now = Instant.parse("2026-11-23T08:00:00Z");
    when(clock.instant()).thenReturn(now);
    Accounts accounts = new Accounts(db, clock);
    assertTrue(accounts.ensure("mate", "correct"));
    assertTrue(
        !accounts.ensure("mate", "other"),
        "an account's password is not replaced by a second start");
    assertEquals(
        401, assertThrows(ProblemException.class, () -> accounts.signIn("mate", "wrong")).status());
    assertEquals(
        401,
        assertThrows(ProblemException.class, () -> accounts.signIn("nobody", "wrong")).status());
    String secret = accounts.signIn("mate", "correct").secret();
    String token = accounts.token("mate");
    assertEquals("mate", accounts.caller(secret).orElseThrow().account());
    when(clock.instant()).thenReturn(now.plus(Duration.ofHours(13)));
    assertTrue(accounts.caller(secret).isEmpty(), "a session ends after 12 hours");
    assertEquals("token", accounts.caller(token).orElseThrow().kind(), "a token does not");
    accounts.signOut(token);
    assertTrue(accounts.caller(token).isEmpty());
  }

  @Test
  void anUpgradeThatInsertsAStepGoesOnWithTheRightOne() throws InterruptedException {
    CountDownLatch reached = new CountDownLatch(1);
    engine.add(
        new Kind(
            "upgraded",
            List.of(
                says("a"),
                step(
                    "b",
                    w -> {
                      reached.countDown();
                      return Outcome.waitFor("until the next version");
                    }),
                says("c")),
            List.of(),
            true));
    drive();
    String id = start("upgraded");
    assertTrue(reached.await(10, TimeUnit.SECONDS));
    scheduler.stop();
    engine = new RunEngine(db, events, Clock.systemUTC());
    engine.add(
        new Kind(
            "upgraded",
            List.of(
                says("before"), says("a"), says("between"), says("b"), says("after"), says("c")),
            List.of(),
            true));
    drive();
    until(() -> run(id).endedAt != null);
    assertEquals(List.of("a", "between", "b", "after", "c"), did);
    assertEquals(
        List.of("a", "between", "b", "after", "c"),
        db.tx(
            s ->
                Db.list(
                    s,
                    String.class,
                    "select name from StepEntity where runId = ?1 order by number",
                    id)));
  }

  @Test
  void anInternalFailureNamesItsEntryInTheLog() throws InterruptedException {
    engine.add(
        new Kind(
            "broken",
            List.of(
                step(
                    "break",
                    w -> {
                      throw new IllegalStateException();
                    })),
            List.of(),
            true));
    drive();
    String id = start("broken");
    until(() -> run(id).endedAt != null);
    Problem problem = new Runs(db).view(id).problem();
    assertEquals("internal", problem.code());
    assertTrue(problem.detail().contains("IllegalStateException"), problem.detail());
    assertTrue(
        problem.remedy().advice().matches("read entry log-[a-z0-9]{10} .*"),
        problem.remedy().advice());
  }
}
