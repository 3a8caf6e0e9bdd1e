package bargelane.service.run;

import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.TestDatabase;
import com.github.kagkarlsson.scheduler.Scheduler;
import java.io.IOException;
import java.time.Clock;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.function.BooleanSupplier;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;

/** Runs of a kind that a test makes up, driven in a real database. */
abstract class RunsFixture {

  static TestDatabase database;
  static Db db;
  static Events events;

  final List<String> did = Collections.synchronizedList(new ArrayList<>());
  RunEngine engine;
  Scheduler scheduler;

  @BeforeAll
  static void open() throws IOException {
    database = TestDatabase.open();
    db = database.db();
    events = new Events(db, Clock.systemUTC(), database.url, "bargelane", database.password);
  }

  @AfterAll
  static void shut() throws IOException {
    events.close();
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

  void drive() {
    scheduler =
        Scheduler.create(db.dataSource(), engine.task())
            .threads(4)
            .pollingInterval(Duration.ofMillis(50))
            .build();
    scheduler.start();
    engine.open(scheduler);
  }

  record Kind(
      String name,
      List<Step> forward,
      List<Step> back,
      boolean patient,
      boolean routine,
      boolean leavesNothingToOthers)
      implements RunKind {

    Kind(String name, List<Step> forward, List<Step> back, boolean patient, boolean routine) {
      this(name, forward, back, patient, routine, false);
    }

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

  Step step(String name, Step.Action action) {
    return new Step(name, name, action);
  }

  Step says(String name) {
    return step(
        name,
        w -> {
          did.add(name);
          return Outcome.done("said " + name);
        });
  }

  String start(String kind, String... machines) {
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

  RunEntity run(String id) {
    return db.tx(s -> s.find(RunEntity.class, id));
  }

  static void until(BooleanSupplier holds) throws InterruptedException {
    CountDownLatch never = new CountDownLatch(1);
    for (int i = 0; i < 400 && !holds.getAsBoolean(); i++) {
      never.await(25, TimeUnit.MILLISECONDS);
    }
    assertTrue(holds.getAsBoolean());
  }
}
