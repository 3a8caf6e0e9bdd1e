package bargelane.service.run;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNotNull;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.Problem;
import bargelane.core.run.RunState;
import bargelane.core.run.StepState;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.Upkeep;
import bargelane.sites.SiteException;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.List;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.Test;

/** Durable runs: their steps, failures, and what people see of them. */
class RunEngineTest extends RunsFixture {

  @Test
  void stepsAreDoneInOrderEachOnceAndRecorded() throws InterruptedException {
    engine.add(new Kind("order", List.of(says("a"), says("b"), says("c")), List.of(), true));
    drive();
    String id = start("order");
    until(() -> run(id).endedAt != null);
    assertEquals(List.of("a", "b", "c"), did);
    assertEquals(RunState.DONE, run(id).state);
    assertTrue(
        steps(id).stream()
            .allMatch(
                s -> s.state == StepState.DONE && s.attempts == 1 && s.detail.startsWith("said")));
  }

  @Test
  void whatAStepCommitsIsStoredWithItsEndOrNotAtAll() throws InterruptedException {
    AtomicInteger tries = new AtomicInteger();
    engine.add(
        new Kind(
            "commits",
            List.of(
                step(
                    "commit",
                    w ->
                        Outcome.commit(
                            s -> {
                              events.tell(s, "x", "s", w.runId(), "try " + tries.get(), null);
                              if (tries.incrementAndGet() == 1) {
                                throw new SiteException(
                                    SiteException.Kind.MAY_PASS, "away", "away", null);
                              }
                              return "with it";
                            }))),
            List.of(),
            true));
    drive();
    String id = start("commits");
    until(() -> run(id).endedAt != null);
    assertEquals(RunState.DONE, run(id).state);
    assertEquals(
        List.of("try 1"),
        events.after(0, 10_000).stream()
            .filter(e -> e.kind().equals("x") && e.run().equals(id))
            .map(e -> e.text())
            .toList(),
        "what failed left nothing");
    assertEquals("with it", steps(id).get(0).detail);
  }

  @Test
  void whatAStepBeginsIsWaitedForByTheNextUntilTheRunIsWoken() throws InterruptedException {
    CountDownLatch tried = new CountDownLatch(1);
    engine.add(
        new Kind(
            "begins",
            List.of(
                step("begin", w -> Outcome.commitAndWait(s -> "begun")),
                step(
                    "wait",
                    w -> {
                      tried.countDown();
                      return Outcome.done("");
                    })),
            List.of(),
            true));
    drive();
    String id = start("begins");
    until(() -> steps(id).get(0).state == StepState.DONE);
    assertEquals(StepState.RUNNING, steps(id).get(1).state);
    engine.wake(id);
    assertTrue(tried.await(5, TimeUnit.SECONDS));
    until(() -> run(id).endedAt != null);
  }

  @Test
  void runsThatABackupFoundOpenAreEndedAndOnlyWhatIsTheirsAloneIsRemoved()
      throws InterruptedException {
    engine.add(new Kind("moves", List.of(says("move")), List.of(says("move back")), true));
    engine.add(
        new Kind(
            "tries", List.of(says("try")), List.of(says("remove the trial")), true, false, true));
    aMachine();
    String moves = start("moves", "m-1");
    String tries = start("tries");
    long before = run(moves).epoch;
    Instant madeAt = Instant.parse("2026-01-02T03:04:05Z");
    assertEquals(List.of("moves"), db.tx(s -> engine.restored(s, madeAt)));
    assertEquals(RunState.FAILED, run(moves).state);
    assertTrue(run(moves).problem.contains("2026-01-02T03:04:05Z"));
    assertTrue(run(moves).epoch > before + 1000, "no driver of then writes any more");
    drive();
    until(() -> run(tries).endedAt != null);
    assertEquals(List.of("remove the trial"), did);
    start("moves", "m-1");
    until(() -> did.contains("move"));
  }

  private static List<StepEntity> steps(String run) {
    return db.tx(
        s -> Db.list(s, StepEntity.class, "from StepEntity where runId = ?1 order by number", run));
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
  void whatMustBeTakenBackIsTriedUntilItIsAndNothingIsDoneBefore() throws InterruptedException {
    AtomicInteger tries = new AtomicInteger();
    engine.add(
        new Kind(
            "fails-hard",
            List.of(
                step(
                    "b",
                    w -> {
                      throw new RunFailure("no-room", "there is no room", "make room");
                    })),
            List.of(
                Step.untilDone(
                    "must",
                    "Must",
                    w ->
                        switch (tries.incrementAndGet()) {
                          case 1 ->
                              throw new SiteException(
                                  SiteException.Kind.FINAL, "refused", "the site refuses", null);
                          case 2 -> throw new IllegalStateException("a fault of ours");
                          default -> Outcome.done("");
                        }),
                says("after")),
            true));
    drive();
    String id = start("fails-hard");
    until(() -> tries.get() == 2);
    assertEquals(List.of(), did, "nothing is done before it");
    assertEquals(RunState.BACKING_OUT, run(id).state);
    until(() -> run(id).endedAt != null);
    assertEquals(3, tries.get());
    assertEquals(List.of("after"), did);
  }

  @Test
  void aDatabaseThatIsAwayForAWhileFailsNoStep() throws InterruptedException {
    AtomicInteger tries = new AtomicInteger();
    List<String> states = List.of("57P01", "40001", "53300", "58030", "08006");
    engine.add(
        new Kind(
            "through",
            List.of(
                step(
                    "b",
                    w -> {
                      int n = tries.getAndIncrement();
                      if (n < states.size()) {
                        throw new org.hibernate.exception.GenericJDBCException(
                            "could not execute",
                            new java.sql.SQLException("it is restarted", states.get(n)));
                      }
                      return Outcome.done("");
                    })),
            List.of(says("never")),
            true));
    drive();
    String id = start("through");
    until(() -> tries.get() > 1);
    // What is waited for between two tries is not what is tested here.
    while (run(id).endedAt == null && tries.get() <= states.size()) {
      engine.wake(id);
      until(() -> true);
    }
    until(() -> run(id).endedAt != null);
    assertEquals(RunState.DONE, run(id).state);
    assertEquals(List.of(), did);
  }

  @Test
  void aRunThatIsStoppedIsBackedOutInTheStepThatItWaitsIn() throws InterruptedException {
    CountDownLatch waits = new CountDownLatch(1);
    engine.add(
        new Kind(
            "long",
            List.of(
                says("a"),
                step(
                    "wait",
                    w -> {
                      waits.countDown();
                      return new Outcome.Wait("held", Duration.ofSeconds(2));
                    }),
                says("never")),
            List.of(says("undo")),
            true));
    drive();
    String id = start("long");
    assertTrue(waits.await(20, TimeUnit.SECONDS));
    engine.stop(id, "engineer");
    until(() -> run(id).endedAt != null);
    assertEquals(List.of("a", "undo"), did);
    Problem problem = new Runs(db).view(id).problem();
    assertEquals("stopped", problem.code());
    assertEquals("engineer stopped it", problem.detail());
    assertEquals(
        "run-over", assertThrows(ProblemException.class, () -> engine.stop(id, "engineer")).code());
    assertEquals(
        "run-unknown",
        assertThrows(ProblemException.class, () -> engine.stop("run-none", "engineer")).code());
  }

  private static void aMachine() {
    db.run(
        s -> {
          s.createNativeMutationQuery(
                  "insert into site (id, name, kind, address, created_at, findings) values ('s', 's', 'k', 'a', now(), '[]') on conflict do nothing")
              .executeUpdate();
          s.createNativeMutationQuery(
                  "insert into machine (id, site_id, platform_id, name, facts, first_seen, last_seen) values ('m-1', 's', 'p', 'm', '{}', now(), now()) on conflict do nothing")
              .executeUpdate();
        });
  }

  @Test
  void aMachineHasAtMostOneOpenRunThatChangesIt() throws InterruptedException {
    aMachine();
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
    assertTrue(new Upkeep(db, later, Runs.TIDY, List.of(), Upkeep.KEPT).tidy() > 0);
    assertEquals(null, run(pass));
    assertNotNull(run(asked));
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
