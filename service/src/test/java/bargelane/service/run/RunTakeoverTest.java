package bargelane.service.run;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.run.RunState;
import bargelane.core.run.StepState;
import bargelane.service.platform.Db;
import bargelane.service.platform.SettingEntity;
import bargelane.sites.SiteException;
import java.time.Clock;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.Test;

/**
 * A driver dies, is overtaken, or is a newer version: nothing is done twice, and nothing is lost.
 */
class RunTakeoverTest extends RunsFixture {

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
}
