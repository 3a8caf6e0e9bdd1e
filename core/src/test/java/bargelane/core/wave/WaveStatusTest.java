package bargelane.core.wave;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Remedy;
import bargelane.core.replication.LegState;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.junit.jupiter.api.Test;

class WaveStatusTest {

  private static final Optional<LegState> OPEN = Optional.of(LegState.OPEN);
  private static final Optional<LegState> PAUSED = Optional.of(LegState.PAUSED);

  /**
   * Letters: s settled, d diverged, l landed, h held, r restored and not looked at, p has a point,
   * v proven, u undoable.
   */
  private static WaveStatus status(String facts, Optional<LegState> leg, WaveVerb... running) {
    return new WaveStatus(
        "lending",
        "mill-street",
        "saltmarsh",
        facts.contains("s"),
        facts.contains("d"),
        false,
        facts.contains("l"),
        leg,
        facts.contains("h"),
        facts.contains("r") ? Optional.of(Instant.EPOCH) : Optional.empty(),
        facts.contains("p"),
        facts.contains("v"),
        facts.contains("u"),
        Set.of(running));
  }

  @Test
  void aWaveSaysReplicatingOnlyWhenPassesRunAndThereIsAPoint() {
    assertEquals(WaveState.PLANNED, status("", Optional.empty()).state());
    assertEquals(WaveState.LOADING, status("", PAUSED, WaveVerb.LOAD).state());
    assertEquals(WaveState.PAUSED, status("", PAUSED).state());
    assertEquals(WaveState.LOADING, status("", OPEN).state());
    assertEquals(WaveState.REPLICATING, status("p", OPEN).state());
    assertEquals(WaveState.PAUSED, status("p", PAUSED).state());
    assertEquals(WaveState.PAUSED, status("ph", OPEN).state());
    assertEquals("already-paused", refusal(status("ph", OPEN), WaveVerb.PAUSE));
    assertEquals("not-paused", refusal(status("p", OPEN), WaveVerb.RESUME));
    assertEquals(
        Action.WAVE_RESUME.of("lending"), status("ph", OPEN).next(List.of()), "it is held by hand");
  }

  @Test
  void ofAWaveWhoseRecordsAreFromABackupNothingIsAskedButALook() {
    WaveStatus restored = status("phrvu", OPEN);
    for (WaveVerb verb : WaveVerb.values()) {
      if (verb != WaveVerb.RESUME) {
        assertEquals("not-checked", refusal(restored, verb), verb.word());
      }
    }
    assertEquals(Action.WAVE_RESUME.of("lending"), restored.next(List.of()));
    assertEquals(List.of(WaveVerb.RESUME), restored.offered());
    // One that was only planned may have been loaded and moved since.
    assertEquals(List.of(WaveVerb.RESUME), status("r", Optional.empty()).offered());
  }

  @Test
  void aWaveThatIsOnlyTestedDoesNotSayMoving() {
    assertEquals(WaveState.TESTING, status("p", OPEN, WaveVerb.TEST).state());
    assertEquals(WaveState.REPLICATING, status("p", OPEN, WaveVerb.REFIT).state());
    assertEquals(WaveState.MOVING, status("p", OPEN, WaveVerb.TEST, WaveVerb.CUTOVER).state());
    assertEquals(WaveState.LANDED, status("lp", OPEN).state());
    assertEquals(WaveState.DIVERGED, status("lpd", OPEN).state());
    assertEquals(WaveState.SETTLING, status("lp", OPEN, WaveVerb.SETTLE).state());
    assertEquals(WaveState.SETTLED, status("lps", Optional.empty()).state());
  }

  private static String refusal(WaveStatus status, WaveVerb verb) {
    return status.refuses(verb).map(WaveStatus.Refusal::code).orElse("");
  }

  @Test
  void everyVerbIsRefusedForItsReasonOrAllowed() {
    WaveStatus planned = status("", Optional.empty());
    assertEquals("", refusal(planned, WaveVerb.LOAD));
    assertEquals("not-loaded", refusal(planned, WaveVerb.CUTOVER));
    assertEquals("not-diverged", refusal(planned, WaveVerb.RECONCILE));
    WaveStatus replicating = status("p", OPEN);
    assertEquals("already-loaded", refusal(replicating, WaveVerb.LOAD));
    assertEquals("not-landed", refusal(replicating, WaveVerb.FAILBACK));
    assertEquals("nothing-to-undo", refusal(replicating, WaveVerb.UNDO));
    assertEquals("", refusal(replicating, WaveVerb.CUTOVER));
    assertEquals("no-point", refusal(status("", OPEN), WaveVerb.FAILOVER));
    WaveStatus landed = status("lpu", OPEN);
    assertEquals("already-landed", refusal(landed, WaveVerb.CUTOVER));
    assertEquals("", refusal(landed, WaveVerb.UNDO));
    WaveStatus diverged = status("lpd", OPEN);
    for (WaveVerb verb : WaveVerb.values()) {
      assertEquals(
          verb == WaveVerb.RECONCILE ? "" : "sides-diverged", refusal(diverged, verb), verb.word());
      assertEquals("wave-settled", refusal(status("s", Optional.empty()), verb));
    }
    assertEquals("", refusal(status("p", PAUSED), WaveVerb.LOAD), "a paused load goes on");
  }

  @Test
  void whatIsOfferedIsAllowedAndComesInTheOrderOfTheJob() {
    assertEquals(List.of(WaveVerb.LOAD), status("", Optional.empty()).offered());
    assertEquals(
        List.of(
            WaveVerb.TEST, WaveVerb.CUTOVER, WaveVerb.FAILOVER, WaveVerb.PAUSE, WaveVerb.SETTLE),
        status("p", OPEN).offered());
    assertTrue(status("ph", OPEN).offered().contains(WaveVerb.RESUME));
    assertFalse(status("ph", OPEN).offered().contains(WaveVerb.PAUSE));
    assertFalse(status("p", PAUSED).offered().contains(WaveVerb.PAUSE), "it holds already");
    assertEquals(WaveVerb.CUTOVER, status("pv", OPEN).offered().get(0));
    assertEquals(
        List.of(
            WaveVerb.FAILBACK,
            WaveVerb.UNDO,
            WaveVerb.TEST,
            WaveVerb.FAILOVER,
            WaveVerb.PAUSE,
            WaveVerb.SETTLE),
        status("lpu", OPEN).offered());
    assertEquals(List.of(WaveVerb.RECONCILE), status("lpd", OPEN).offered());
    assertEquals(List.of(), status("p", OPEN, WaveVerb.TEST).offered());
    assertEquals(List.of(), status("s", Optional.empty()).offered());
  }

  private static List<Gate.State> gates(WaveStatus status, boolean loaded) {
    return new Standing(
            "m",
            status.name(),
            false,
            List.of(),
            List.of(),
            List.of(),
            loaded,
            loaded ? 1 : 0,
            new Exposure(
                loaded ? Optional.of(Duration.ofSeconds(5)) : Optional.empty(),
                Duration.ofSeconds(60)),
            Optional.empty(),
            false,
            status.diverged(),
            status.settled())
        .gates();
  }

  @Test
  void nextIsTheRemedyOfTheFirstGateThatIsShutForAnyMachine() {
    WaveStatus planned = status("", Optional.empty());
    assertEquals(
        Action.WAVE_LOAD.of("lending"),
        planned.next(List.of(gates(planned, true), gates(planned, false))));
    WaveStatus replicating = status("p", OPEN);
    assertEquals(
        Action.WAVE_TEST.of("lending"), replicating.next(List.of(gates(replicating, true))));
    assertEquals(
        Remedy.advice("wait for the running work"),
        status("p", OPEN, WaveVerb.TEST).next(List.of(gates(replicating, true))));
    assertEquals(Remedy.NONE, status("s", Optional.empty()).next(List.of()));
  }

  @Test
  void whatIsMostUrgentIsSaidOfAWaveAndNothingBesideADivergence() {
    Exposure over = new Exposure(Optional.of(Duration.ofSeconds(90)), Duration.ofSeconds(60));
    Need.Failure failed =
        new Need.Failure(
            "Test cutover of lending", "no", Remedy.advice("mend it"), Optional.of(Instant.EPOCH));
    Map<Gate, Integer> open = Map.of(Gate.FOUND, 2, Gate.SIZED, 1);
    List<Need> needs =
        Need.of(
            status("p", OPEN),
            true,
            over,
            2,
            open,
            List.of(),
            List.of(failed),
            Action.WAVE_SIZE.of("lending"));
    assertEquals(
        List.of(Need.Urgency.NOW, Need.Urgency.SOON, Need.Urgency.NEXT),
        needs.stream().map(Need::urgency).toList());
    assertTrue(needs.get(0).cause().contains("1m30s is over the RPO of 1m by 30s"));
    assertEquals("gate 'sized' is shut for 1 of 2 machines", needs.get(2).cause());
    Need.Failure waits =
        new Need.Failure("Cutover of lending", "away", Remedy.NONE, Optional.of(Instant.EPOCH));
    List<Need> stuck =
        Need.of(status("p", OPEN), true, over, 2, open, List.of(waits), List.of(), Remedy.NONE);
    assertEquals("away", stuck.get(0).cause(), "what must be decided now is on top");
    List<Need> diverged =
        Need.of(status("lpd", OPEN), true, over, 2, open, List.of(), List.of(failed), Remedy.NONE);
    assertEquals(1, diverged.size());
    assertFalse(
        Need.of(
                status("p", OPEN, WaveVerb.TEST),
                true,
                over,
                2,
                open,
                List.of(),
                List.of(),
                Remedy.advice("wait"))
            .stream()
            .anyMatch(n -> n.urgency() == Need.Urgency.NEXT),
        "nothing is next while work runs");
  }

  @Test
  void aProofLapsesForWhatChangedAndSaysWhat() {
    var placed =
        new bargelane.core.lane.Placement(
            "wherry-2",
            List.of(new bargelane.core.lane.Placement.PlacedNic("n", "10.0.0.2", true, "")),
            List.of("shelf"),
            "z");
    Proof proof = new Proof(placed, 2, 4096, "uefi", List.of(1L << 30), null, null);
    assertEquals(List.of(), proof.lapsedBy(proof));
    var moved = new bargelane.core.lane.Placement("wherry-4", List.of(), List.of("attic"), "y");
    assertEquals(
        List.of(
            "size wherry-2 to wherry-4",
            "networks or addresses",
            "storage classes",
            "zone",
            "the machine's hardware",
            "the machine's disks",
            "what the refit adds"),
        proof.lapsedBy(
            new Proof(moved, 4, 4096, "uefi", List.of(2L << 30), null, List.of("serial-console"))));
    ProbePlan slower = new ProbePlan(ProbePlan.Kind.HTTP, 0, "/", 900);
    assertEquals(List.of(), proof.lapsedBy(proof.by(slower)), "time proves nothing");
    ProbePlan other = new ProbePlan(ProbePlan.Kind.TCP, 5432, "/", 180);
    assertEquals(List.of("the probe"), proof.lapsedBy(proof.by(other)));
    assertTrue(Finding.Code.SIZE_NOT_OFFERED.ofSize() && !Finding.Code.SUBNET_FULL.ofSize());
  }
}
