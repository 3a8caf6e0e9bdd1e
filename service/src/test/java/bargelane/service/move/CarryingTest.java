package bargelane.service.move;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertInstanceOf;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.core.lane.CarriedDisk;
import bargelane.core.lane.Rule;
import bargelane.core.lane.RuleScope;
import bargelane.core.lane.Setting;
import bargelane.core.site.Inventory.CarriedVolume;
import bargelane.core.site.Inventory.Disk;
import bargelane.service.lane.Lanes;
import bargelane.service.machine.MachineEntity;
import bargelane.service.platform.Json;
import bargelane.service.replication.Berth;
import bargelane.service.replication.PointEntity;
import bargelane.service.replication.Side;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Work;
import bargelane.sites.Compute;
import java.time.Instant;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.mockito.ArgumentCaptor;

/** A machine one of whose disks a storage system carries: what it lands with, and when. */
class CarryingTest extends MovesFixture {

  private static final String CLONE = "bl-run-ledger-d0";
  private static final long GIB = 1L << 30;

  private Carrying carrying;

  @BeforeEach
  void carried() {
    carrying = new Carrying(services, moves);
    db.run(
        s ->
            s.find(MachineEntity.class, "m-1").facts =
                Json.text(
                    facts("")
                        .with(
                            List.of(
                                new Disk("vol-0", GIB, "shelf"),
                                new Disk("data", 2 * GIB, "shelf")))));
    stands(Side.HOME, new Berth("p-1", List.of("vol-0"), List.of(), "", List.of("vol-0", "data")));
    db.run(
        s ->
            Lanes.decided(
                s,
                "lane",
                List.of(new Rule(RuleScope.DISK, "m-1", 1, Setting.COPY, "carried:mirror"))));
  }

  private void there(Platform at, String volume, long bytes, Instant asOf, String machine) {
    there(at, volume, bytes, asOf, false, machine);
  }

  private void there(
      Platform at, String volume, long bytes, Instant asOf, boolean ended, String machine) {
    when(at.target.carried(volume))
        .thenReturn(
            Optional.of(
                new CarriedVolume(
                    volume, bytes, "shelf", asOf, ended, machine, now.plusSeconds(3600))));
  }

  private static String refused(Runnable check) {
    return assertThrows(RunFailure.class, check::run).code();
  }

  @Test
  void whatCannotBeItsDiskEndsAMoveBeforeAnythingIsStopped() {
    when(away.target.carried("mirror")).thenReturn(Optional.empty());
    assertEquals("carried-missing", refused(() -> carrying.fit(work(), Side.AWAY)));
    there(away, "mirror", GIB, now, "");
    assertEquals("carried-unfit", refused(() -> carrying.fit(work(), Side.AWAY)));
    there(away, "mirror", 2 * GIB, null, "");
    assertEquals("carried-unfit", refused(() -> carrying.fit(work(), Side.AWAY)));
    there(away, "mirror", 2 * GIB, now, "other");
    assertEquals("carried-unfit", refused(() -> carrying.fit(work(), Side.AWAY)));
    there(away, "mirror", 2 * GIB, now.plusSeconds(3603), "");
    assertEquals(
        "carried-unfit", refused(() -> carrying.fit(work(), Side.AWAY)), "its clock is ahead");
    there(away, "mirror", 2 * GIB, now, "");
    carrying.fit(work(), Side.AWAY);
  }

  @Test
  void oneVolumeIsNoTwoDisks() {
    Disk disk = new Disk("other", GIB, "shelf");
    work()
        .put(
            MoveNotes.CARRIED,
            Map.of(
                "mem",
                List.of(
                    new CarriedDisk(1, disk, "mirror", CarriedDisk.USUAL),
                    new CarriedDisk(
                        2, new Disk("data", GIB, "shelf"), "mirror", CarriedDisk.USUAL))));
    there(away, "mirror", 2 * GIB, now, "");
    assertEquals("carried-unfit", refused(() -> carrying.fit(work(), Side.AWAY)));
  }

  @Test
  void aPointIsStartedWithWhatIsAboutAsOld() {
    PointEntity point = db.tx(s -> s.find(PointEntity.class, "point-1"));
    there(away, "mirror", 2 * GIB, point.asOf.minusSeconds(3600), "");
    RunFailure far = assertThrows(RunFailure.class, () -> carrying.near(work(), Side.AWAY, point));
    assertEquals("carried-behind", far.code());
    assertTrue(far.getMessage().contains("1h apart, where 15m are allowed"), far.getMessage());
    there(away, "mirror", 2 * GIB, point.asOf.plusSeconds(3600), "");
    assertEquals("carried-behind", refused(() -> carrying.near(work(), Side.AWAY, point)));
    there(away, "mirror", 2 * GIB, point.asOf.minusSeconds(800), "");
    carrying.near(work(), Side.AWAY, point);
  }

  /** In a disaster the storage system is told to stop first, so that its volume can be used. */
  @Test
  void whatIsFilledNoMoreServesAFailoverAndNoCutover() {
    PointEntity point = db.tx(s -> s.find(PointEntity.class, "point-1"));
    there(away, "mirror", 2 * GIB, point.asOf.plusSeconds(60), true, "");
    carrying.near(work(), Side.AWAY, point);
    RunFailure refused = assertThrows(RunFailure.class, () -> carrying.fit(work(), Side.AWAY));
    assertEquals("carried-unfit", refused.code());
    assertTrue(refused.getMessage().contains("has stopped filling mirror"), refused.getMessage());
    there(away, "mirror", 2 * GIB, now, true, "");
    Outcome waits = carrying.arrived(work(), Side.AWAY);
    assertTrue(((Outcome.Wait) waits).detail().endsWith("and has stopped"), waits.toString());
  }

  @Test
  void aCutoverWaitsForWhatWasWrittenBeforeTheMachineWasOff() {
    there(away, "mirror", 2 * GIB, now, "");
    Outcome waits = carrying.arrived(work(), Side.AWAY);
    assertTrue(
        ((Outcome.Wait) waits).detail().contains("has to carry it up to 2026-11-02T08:00:02Z"),
        waits.toString());
    Instant off = now;
    // Whoever goes on with the run later asks for no more than that.
    now = now.plusSeconds(600);
    there(away, "mirror", 2 * GIB, off.plusSeconds(1), "");
    assertInstanceOf(Outcome.Wait.class, carrying.arrived(work(), Side.AWAY));
    when(away.target.carried("mirror")).thenReturn(Optional.empty());
    assertInstanceOf(Outcome.Wait.class, carrying.arrived(work(), Side.AWAY));
    there(away, "mirror", 2 * GIB, off.plusSeconds(2), "");
    assertInstanceOf(Outcome.Done.class, carrying.arrived(work(), Side.AWAY));
  }

  @Test
  void nothingIsWaitedForWhereNothingIsCarried() {
    db.run(
        s ->
            Lanes.decided(
                s, "lane", List.of(new Rule(RuleScope.DISK, "m-1", 1, Setting.COPY, "off"))));
    assertEquals(Outcome.done("no disk is carried"), carrying.arrived(work(), Side.AWAY));
    verify(away.target, never()).carried(any());
  }

  @Test
  void aMachineThatIsMadeHasItInItsPlace() {
    there(away, "mirror", 2 * GIB, now, "");
    when(away.compute.define(any())).thenReturn("new-1");
    landing.define(work(), Side.AWAY);
    ArgumentCaptor<Compute.Spec> spec = ArgumentCaptor.forClass(Compute.Spec.class);
    verify(away.compute).define(spec.capture());
    assertEquals(List.of(CLONE, "mirror"), spec.getValue().disks());
    // What is decided meanwhile counts from the next run on.
    db.run(
        s ->
            Lanes.decided(
                s, "lane", List.of(new Rule(RuleScope.DISK, "m-1", 1, Setting.COPY, "off"))));
    Work w = work();
    moves.legId(w);
    db.run(s -> landing.land(s, w, Side.AWAY));
    assertEquals(
        new Berth(
            "new-1",
            List.of(CLONE),
            List.of(),
            "",
            List.of(CLONE, "mirror"),
            Map.of("data", "mirror")),
        berth(Side.AWAY));
  }

  @Test
  void aMachineThatLandsAgainHasItOnce() {
    stands(
        Side.AWAY,
        new Berth(
            "new-1",
            List.of("old-clone"),
            List.of(),
            "",
            List.of("old-clone", "former"),
            Map.of("data", "former")));
    when(away.compute.machine("new-1"))
        .thenReturn(
            facts("").with(List.of(new Disk("old-clone", 0, ""), new Disk("former", 0, ""))));
    landing.define(work(), Side.AWAY);
    verify(away.compute).attach("new-1", List.of(CLONE, "mirror"));
  }

  @Test
  void aDossierTellsWhatWasNotCopied() {
    Map<String, Object> record = new HashMap<>();
    carrying.tell(work(), record);
    assertEquals(Map.of("leftOut", List.of("ledger/data")), record, "nothing was carried");
    there(away, "mirror", 2 * GIB, now.plusSeconds(2), "");
    assertInstanceOf(Outcome.Done.class, carrying.arrived(work(), Side.AWAY));
    record.clear();
    carrying.tell(work(), record);
    assertEquals(Map.of("carriedAsOf", Map.of("mirror", now.plusSeconds(2).toString())), record);
  }

  @Test
  void placesAreThoseOfTheSource() {
    List<String> source = List.of("a", "x", "b", "y", "z");
    Map<String, String> carried = Map.of("x", "X", "y", "Y", "z", "Z");
    assertEquals(
        List.of("A", "X", "B", "Y", "Z"),
        Carrying.with(List.of("A", "B"), source, Map.of("a", "A", "b", "B"), carried));
    assertEquals(
        List.of("A", "X", "Y", "Z", "late"),
        Carrying.with(List.of("A", "late"), source, Map.of("a", "A"), carried));
    assertEquals(
        List.of("A", "X", "Y", "Z"),
        Carrying.with(List.of("A", "X", "Y", "Z"), source, Map.of("a", "A"), carried));
  }

  private void landed() {
    stands(
        Side.AWAY,
        new Berth(
            "new-1",
            List.of(CLONE),
            List.of(),
            "",
            List.of(CLONE, "mirror"),
            Map.of("data", "mirror")));
  }

  @Test
  void aMachineThatComesBackWaitsForWhatIsCarriedBack() {
    landed();
    when(home.target.carried("data")).thenReturn(Optional.empty());
    assertEquals("carried-missing", refused(() -> carrying.fit(work(), Side.HOME)));
    there(home, "data", 2 * GIB, now.minusSeconds(9), "ledger");
    assertEquals(
        "carried-unfit", refused(() -> carrying.fit(work(), Side.HOME)), "it was detached there");
    when(home.compute.machine("p-1"))
        .thenReturn(
            facts("").with(List.of(new Disk("vol-0", GIB, ""), new Disk("data", 2 * GIB, ""))));
    carrying.fit(work(), Side.HOME);
    assertInstanceOf(Outcome.Wait.class, carrying.arrived(work(), Side.HOME));
    there(home, "data", 2 * GIB, now.plusSeconds(9), "ledger");
    assertInstanceOf(Outcome.Done.class, carrying.arrived(work(), Side.HOME));
  }

  /** A failover to the source's side asks for what is allowed now. */
  @Test
  void whatComesBackMayBeAsFarApartAsIsAllowed() {
    landed();
    when(home.compute.machine("p-1"))
        .thenReturn(
            facts("").with(List.of(new Disk("vol-0", GIB, ""), new Disk("data", 2 * GIB, ""))));
    PointEntity point = db.tx(s -> s.find(PointEntity.class, "point-1"));
    there(home, "data", 2 * GIB, point.asOf.minusSeconds(3600), "ledger");
    db.run(
        s ->
            Lanes.decided(
                s,
                "lane",
                List.of(
                    new Rule(RuleScope.MACHINE, "m-1", Rule.WHOLE, Setting.CARRIED_WITHIN, "2h"))));
    carrying.near(work(), Side.HOME, point);
    there(home, "data", 2 * GIB, point.asOf.minusSeconds(7300), "ledger");
    RunFailure far = assertThrows(RunFailure.class, () -> carrying.near(work(), Side.HOME, point));
    assertTrue(far.getMessage().contains("where 2h are allowed"), far.getMessage());
  }

  /** Whatever the last scan told of the machine at its source. */
  @Test
  void whatWasLandedWithIsAskedForThoughTheSourceTellsOfItNoMore() {
    landed();
    db.run(s -> s.find(MachineEntity.class, "m-1").facts = Json.text(facts("vol-0")));
    assertEquals("carried-missing", refused(() -> carrying.fit(work(), Side.HOME)));
  }

  @Test
  void aLandingIsNotUndoneOntoDisksOfTwoInstants() {
    landed();
    Work w = work();
    w.put(MoveNotes.OFF_AT, now);
    carrying.untouched(w, Side.HOME, w.notes());
    there(home, "data", 2 * GIB, now.plusSeconds(2), "ledger");
    carrying.untouched(w, Side.HOME, w.notes());
    there(home, "data", 2 * GIB, now.plusSeconds(60), "ledger");
    assertEquals("carried-since", refused(() -> carrying.untouched(w, Side.HOME, w.notes())));
  }

  @Test
  void aTestHasClonesOfItAndLeavesNone() {
    there(away, "mirror", 2 * GIB, now, "");
    carrying.copy(work(), Side.AWAY);
    verify(away.target).freeze("bl-run-carried", "bargelane/in-test/tow", List.of("mirror"));
    verify(away.target)
        .cloneVolume(
            "bl-run-ledger-c1", "bargelane/in-test/tow", "shelf", "bl-run-carried", "mirror");
    assertEquals(
        Map.of("data", "bl-run-ledger-c1"), Carrying.copies(work(), state().members.get(0)));
    carrying.dropCopies(work(), Side.AWAY);
    verify(away.target).deleteVolume("bl-run-ledger-c1");
    verify(away.target).deletePoint("bl-run-carried");
    verify(away.target, never()).deleteVolume("mirror");
    assertTrue(recorded().stream().noneMatch(r -> r.contains("carried")), recorded().toString());
  }
}
