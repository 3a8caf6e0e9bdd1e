package bargelane.service.move;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertInstanceOf;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyInt;
import static org.mockito.Mockito.inOrder;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.service.platform.Json;
import bargelane.service.replication.Berth;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowEntity;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEntity;
import bargelane.service.run.Step;
import bargelane.sites.Compute;
import java.util.List;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.mockito.InOrder;

/** Which side runs, and when, while two sides are brought together; the machines failed over. */
class ReconcileTest extends MovesFixture {

  private ReconcileRun reconcile;

  @BeforeEach
  void failedOver() {
    reconcile = new ReconcileRun(services, moves, turning);
    stands(Side.AWAY, new Berth("new-1", List.of("clone-0"), List.of()));
    when(away.compute.machine("new-1")).thenReturn(facts("clone-0"));
    when(home.compute.machine(any())).thenReturn(facts("vol-0"));
    when(home.compute.wayIn(any(), anyInt())).thenReturn(new Compute.WayIn("127.0.0.1", 1, true));
    db.run(
        s -> {
          TowEntity tow = s.find(TowEntity.class, "tow");
          tow.landed = true;
          tow.diverged = true;
          tow.divergence =
              Json.text(
                  new Parting("AWAY", "arm", "point-1", now.minusSeconds(60).toString(), null));
        });
  }

  private void keep(String site) {
    db.run(s -> s.find(RunEntity.class, "run").input = Json.text(java.util.Map.of("keep", site)));
  }

  private List<String> steps() {
    return reconcile.steps(work()).stream().map(Step::name).toList();
  }

  private Outcome step(String name) {
    return reconcile.steps(work()).stream()
        .filter(x -> x.name().equals(name))
        .findFirst()
        .orElseThrow()
        .action()
        .run(work());
  }

  @Test
  void whatIsGivenUpIsStoppedBeforeItIsLookedAt() {
    keep("home");
    List<String> steps = steps();
    assertTrue(steps.indexOf("stop-running") < steps.indexOf("survey-running"), steps.toString());
    step("fence");
    assertInstanceOf(Outcome.Done.class, step("stop-running"));
    InOrder order = inOrder(away.compute);
    order.verify(away.compute).stop("new-1");
    order.verify(away.compute).fence("new-1");
  }

  @Test
  void theSideThatRunsIsNotStoppedToMeasureOrToBeKept() {
    for (String site : List.of("", "away")) {
      keep(site);
      assertFalse(steps().contains("stop-running"), "keep '" + site + "'");
      step("fence");
    }
    keep("away");
    step("choose");
    verify(away.compute, never()).stop(any());
  }

  @Test
  void theMachinesAreRecordedWhereTheyRunOnlyOnceTheyDo() {
    keep("home");
    step("stop-running");
    assertInstanceOf(Outcome.Wait.class, step("choose"), "it does not answer yet");
    assertTrue(state().tow.landed, "still at the side that ran");
    verify(home.compute).start("p-1");
  }

  @Test
  void whoGivesUpBeforeTheKeptSideRunsStartsTheOtherAgainOnceThatIsFenced() {
    keep("home");
    step("stop-running");
    step("choose");
    when(away.compute.wayIn(any(), anyInt())).thenReturn(new Compute.WayIn("127.0.0.1", 1, true));
    List<Step> back = reconcile.backOut(work());
    assertEquals(
        List.of("fence-again", "restart", "release"), back.stream().map(Step::name).toList());
    assertTrue(back.get(0).untilDone() && back.get(1).untilDone());
    back.get(0).action().run(work());
    back.get(1).action().run(work());
    InOrder order = inOrder(home.compute, away.compute);
    order.verify(home.compute).start("p-1");
    order.verify(home.compute).stop("p-1");
    order.verify(home.compute).fence("p-1");
    order.verify(away.compute).unfence("new-1");
    order.verify(away.compute).start("new-1");
  }

  @Test
  void aMeasureThatFailsStartsAndStopsNothing() {
    keep("");
    assertEquals(List.of("release"), reconcile.backOut(work()).stream().map(Step::name).toList());
  }
}
