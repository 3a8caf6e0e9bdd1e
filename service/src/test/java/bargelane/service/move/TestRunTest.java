package bargelane.service.move;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import bargelane.core.wave.Gate;
import bargelane.core.wave.ProbePlan;
import bargelane.service.plan.WaveStanding;
import bargelane.service.platform.Json;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.TowState;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import java.util.List;
import java.util.function.Consumer;
import org.junit.jupiter.api.Test;

/** A test cutover proves what it tried. */
class TestRunTest extends MovesFixture {

  private void steps(String... names) {
    TestRun test =
        new TestRun(
            services,
            moves,
            landing,
            mock(Refits.class),
            mock(TargetCheck.class),
            new Carrying(services, moves));
    for (String name : names) {
      Work w = work();
      Step step =
          test.steps(w).stream().filter(s -> s.name().equals(name)).findFirst().orElseThrow();
      step.action().run(w);
    }
  }

  private void meanwhile(Consumer<MemberEntity> change) {
    db.run(s -> change.accept(s.find(MemberEntity.class, "mem")));
  }

  private Gate.State proven() {
    TowState tow = state();
    return db.tx(s -> WaveStanding.of(s, tow, now).gates().values().iterator().next())
        .get(Gate.PROVEN.ordinal());
  }

  private void tried() {
    when(away.compute.isolate(any(), any(), any())).thenReturn("net");
    when(away.compute.define(any())).thenReturn("new-1");
    steps("isolate", "define");
  }

  @Test
  void aPlanThatChangesWhileTheTestRunsIsNotProven() {
    tried();
    meanwhile(m -> m.size = "wherry-4");
    steps("record");
    assertTrue(proven().shutBy().get(0).cause().contains("size  to wherry-4"), proven().toString());
    meanwhile(m -> m.size = "");
    assertTrue(proven().open(), proven().toString());
  }

  @Test
  void aProbeThatIsMendedWhileTheTestWaitsIsTheOneThatIsProven() {
    tried();
    meanwhile(m -> m.probe = Json.text(new ProbePlan(ProbePlan.Kind.NONE, 0, "/", 60)));
    steps("start-1", "record");
    assertTrue(proven().open(), proven().toString());
    meanwhile(m -> m.probe = Json.text(new ProbePlan(ProbePlan.Kind.TCP, 5432, "/", 60)));
    assertTrue(proven().shutBy().get(0).cause().contains("the probe"), proven().toString());
    assertEquals(List.of(), proven().open() ? List.of("open") : List.of());
  }
}
