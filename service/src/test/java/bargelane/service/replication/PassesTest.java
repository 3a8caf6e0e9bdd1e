package bargelane.service.replication;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyBoolean;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.atLeastOnce;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.api.Lease;
import bargelane.api.LeaseDone;
import bargelane.api.LeaseFailed;
import bargelane.core.replication.PassKind;
import bargelane.core.replication.PassState;
import bargelane.core.site.Capabilities;
import bargelane.service.platform.Json;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEntity;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import bargelane.service.run.Works;
import bargelane.sites.SiteException;
import java.io.IOException;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.Random;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;

/** The desk where tugs get passes. */
class PassesTest extends PassesFixture {

  @Test
  void aPassIsGivenToOneTugOnlyAndShippedWhenAllItsDisksAre() throws Exception {
    assertEquals(Optional.empty(), leases.take("tug-1", 0), "what is not offered is nobody's");
    offer();
    Lease lease = take("tug-1");
    assertEquals(1, lease.epoch());
    assertEquals("nbd+unix:///bl-" + pass + "-0-s-1", lease.disks().get(0).sourceUri());
    assertEquals(Optional.empty(), leases.take("tug-2", 0));
    leases.report(pass, progress(1, 4096));
    assertTrue(passes.shipped(pass) instanceof Outcome.Wait);
    String root = finish(3);
    leases.done(pass, done(1, root));
    assertEquals(PassState.SHIPPED, state());
    assertEquals(root, Passes.disks(db.tx(s -> s.find(PassEntity.class, pass))).get(0).root());
    assertTrue(passes.shipped(pass) instanceof Outcome.Done);
    verify(runs, atLeastOnce()).wake(any(), eq("run"));
  }

  @Test
  void aTugThatIsSilentLosesItsLeaseAndIsRefusedAfterwards() throws InterruptedException {
    offer();
    take("tug-1");
    leases.report(pass, progress(1, 65536));
    now = now.plus(LEASE).plusMillis(1);
    passes.shipped(pass);
    assertEquals(PassState.READY, state());
    assertEquals("lease-lost", refused(() -> leases.report(pass, progress(1, 70000))));
    assertEquals(Optional.empty(), leases.take("tug-2", 0), "not at once: it would fail again");
    now = now.plus(Passes.LONGEST_PAUSE);
    Lease second = take("tug-2");
    assertEquals(2, second.epoch());
    assertEquals(65536, second.disks().get(0).resumeFrom(), "it goes on from what was told");
    assertEquals(
        "0+1048576",
        second.disks().get(0).mayDiffer(),
        "what the first one may have written is not trusted");
    assertEquals("lease-lost", refused(() -> leases.report(pass, progress(1, 80000))));
    leases.report(pass, progress(2, 1000));
    assertEquals(
        65536,
        Passes.disks(db.tx(s -> s.find(PassEntity.class, pass))).get(0).progress().watermark(),
        "a watermark never steps back");
  }

  @Test
  void aReportRenewsTheLease() throws InterruptedException {
    offer();
    take("tug-1");
    for (int i = 0; i < 5; i++) {
      now = now.plus(LEASE).minusMillis(1);
      leases.report(pass, progress(1, i));
      passes.shipped(pass);
      assertEquals(PassState.LEASED, state());
    }
  }

  private void cut() throws InterruptedException {
    now = now.plus(Passes.LONGEST_PAUSE);
    Lease lease = take("tug-1");
    leases.failed(pass, new LeaseFailed(lease.epoch(), "may-pass", "the line was cut"));
  }

  @Test
  void whatGetsNowhereForAMinuteIsGivenUp() throws InterruptedException {
    offer();
    Instant began = now;
    while (state() != PassState.FAILED) {
      cut();
    }
    assertEquals(Duration.ofSeconds(64), Duration.between(began.plus(Passes.LONGEST_PAUSE), now));
    RunFailure failure = assertThrows(RunFailure.class, () -> passes.shipped(pass));
    assertEquals("gave-up", failure.code());
    assertEquals("after 9 attempts without progress: the line was cut", failure.getMessage());
  }

  @Test
  void aPassThatGetsOnIsNotGivenUpHoweverOftenItsLineIsCut() throws InterruptedException {
    offer();
    for (int i = 1; i <= 16; i++) {
      now = now.plus(Passes.LONGEST_PAUSE);
      Lease lease = take("tug-1");
      leases.report(pass, progress(lease.epoch(), i * 65536L));
      leases.failed(pass, new LeaseFailed(lease.epoch(), "may-pass", "the line was cut"));
      assertEquals(PassState.READY, state());
    }
  }

  @Test
  void aClockThatStepsBackDoesNotKeepAPassFromBeingOffered() throws InterruptedException {
    offer();
    cut();
    now = now.minus(Duration.ofHours(3));
    assertTrue(leases.take("tug-1", 0).isPresent());
  }

  @Test
  void aPassThatMachinesAreDownForDoesNotWaitForATugForLong() {
    db.run(s -> s.find(PassEntity.class, pass).urgent = true);
    offer();
    now = now.plusSeconds(59);
    assertTrue(passes.shipped(pass) instanceof Outcome.Wait);
    now = now.plusSeconds(1);
    RunFailure failure = assertThrows(RunFailure.class, () -> passes.shipped(pass));
    assertEquals("no-tug", failure.code());
    assertEquals("no tug took pass 1 for 60 s", failure.getMessage());
  }

  @Test
  void aPassThatATugTookLateHasItsWholeTimeThen() throws InterruptedException {
    db.run(s -> s.find(PassEntity.class, pass).urgent = true);
    offer();
    now = now.plusSeconds(59);
    take("tug-1");
    now = now.plusSeconds(5);
    leases.failed(pass, new LeaseFailed(1, "may-pass", "cut"));
    assertEquals(PassState.READY, state());
    assertTrue(passes.shipped(pass) instanceof Outcome.Wait);
  }

  @Test
  void whatMachinesAreDownForGoesFirst() throws InterruptedException {
    offer();
    db.run(
        s ->
            s.createNativeMutationQuery(
                    "insert into leg (id, tow_id, number, direction, state, marker) values ('leg-2', 'tow', 2, 'out', 'closed', '')")
                .executeUpdate());
    now = now.plusSeconds(1);
    String later =
        db.tx(
            s -> {
              PassEntity p =
                  Passes.create(s, clock, "run", "tow", "leg-2", 1, PassKind.DELTA, true);
              p.urgent = true;
              return p.id;
            });
    passes.offer(later, p -> p.disks = Json.text(List.of(disk())));
    assertEquals(later, leases.take("tug-1", 0).orElseThrow().pass());
    assertEquals(pass, leases.take("tug-1", 0).orElseThrow().pass());
  }

  @Test
  void aFailureKeepsItsCodeWhateverItsWordsAre() throws InterruptedException {
    offer();
    take("tug-1");
    leases.failed(pass, new LeaseFailed(1, "no-space", "pool: full: nothing left"));
    RunFailure failure = assertThrows(RunFailure.class, () -> passes.shipped(pass));
    assertEquals("no-space", failure.code());
    assertEquals("pool: full: nothing left", failure.getMessage());
    assertTrue(failure.remedy().advice().startsWith("make room at the target"));
  }

  @Test
  void whatTheTargetHasNotKeptIsComparedAsAWholeByTheNextPass() throws InterruptedException {
    offer();
    take("tug-1");
    assertFalse(db.tx(s -> s.find(ReplicaEntity.class, "rep")).anywhere);
    leases.failed(pass, new LeaseFailed(1, "digests-malformed", "they are none"));
    assertTrue(db.tx(s -> s.find(ReplicaEntity.class, "rep")).anywhere);
    RunFailure failure = assertThrows(RunFailure.class, () -> passes.shipped(pass));
    assertTrue(failure.remedy().advice().contains("compares all of these disks"));
  }

  @Test
  void aSourceThatDroppedItsSnapshotFailsThePassAtOnce() throws InterruptedException {
    when(source.openSnapshot(any(), any(), any(), any()))
        .thenThrow(
            new SiteException(SiteException.Kind.FINAL, "snapshot-dropped", "it is gone", null));
    offer();
    assertEquals(Optional.empty(), leases.take("tug-1", 0));
    assertEquals(
        "source-dropped", assertThrows(RunFailure.class, () -> passes.shipped(pass)).code());
  }

  @Test
  void aPassThatIsGivenUpTakesTheLeaseFromItsTug() throws InterruptedException {
    offer();
    take("tug-1");
    passes.abandon(pass, "failed-over", "the source was given up");
    assertEquals("lease-lost", refused(() -> leases.report(pass, progress(1, 1))));
    assertEquals("failed-over", assertThrows(RunFailure.class, () -> passes.shipped(pass)).code());
  }

  @Test
  void aLegHasOneOpenPass() {
    assertThrows(
        RuntimeException.class,
        () ->
            db.run(
                s -> {
                  Passes.create(s, clock, "run", "tow", "leg", 2, PassKind.DELTA, true);
                  s.flush();
                }));
    db.run(s -> Passes.close(s.find(PassEntity.class, pass), PassState.COMPLETE, now));
    db.run(s -> Passes.create(s, clock, "run", "tow", "leg", 2, PassKind.DELTA, true));
  }

  /**
   * A clock that steps back, or differs between two nodes, must not make an older point the newest:
   * a block that went from X to Y and back to X would be compared with the X of before.
   */
  @Test
  void theNewestPointIsTheOneThatWasRecordedLastWhateverClocksSay() {
    PassRun kind = new PassRun(new Services(db, clock, events, sites, ledger, runs, passes));
    db.run(
        s -> {
          s.createNativeMutationQuery(
                  "update lane set plan = '{\"networks\": {}, \"storages\": {}}'")
              .executeUpdate();
          String reach =
              Json.text(
                  new Capabilities(
                      "p", "1", Capabilities.Reach.SITE, 65536, true, false, true, null));
          s.createNativeMutationQuery("update site set capabilities = cast(:reach as jsonb)")
              .setParameter("reach", reach)
              .executeUpdate();
        });
    Random random = new Random(20);
    Instant about = now;
    for (int i = 1; i <= 40; i++) {
      now = about.plusSeconds(random.nextInt(200_000) - 100_000);
      String id = i == 1 ? pass : next();
      // Each pass is a run of its own.
      db.run(
          s -> {
            RunEntity run = s.find(RunEntity.class, "run");
            run.notes = "{}";
            run.input = "{\"leg\": \"leg\"}";
          });
      Work w = Works.take(db, events, clock, "run");
      w.put(PassNotes.PASS, id);
      w.put(PassNotes.ONE_INSTANT, true);
      w.put(PassNotes.SPREAD_MS, 0L);
      db.run(
          s -> {
            PassEntity p = s.find(PassEntity.class, id);
            p.asOf = now;
            p.disks = Json.text(List.of(disk()));
          });
      Step record =
          kind.steps(w).stream().filter(x -> x.name().equals("record")).findFirst().orElseThrow();
      Outcome.Commit commit = (Outcome.Commit) record.action().run(w);
      db.tx(commit.work());
      int number = i;
      db.run(
          s -> {
            LegEntity leg = s.find(LegEntity.class, "leg");
            PointEntity newest = TowState.newestPoint(s, leg).orElseThrow();
            assertEquals(number, newest.number);
            assertEquals("bl-" + id, leg.marker, "the marker belongs to the same point");
            assertEquals("bl-" + id + "-point", newest.name);
          });
    }
    assertEquals(
        IntStream.rangeClosed(35, 40).boxed().toList(),
        db.tx(s -> Tows.points(s, "leg").stream().map(p -> p.number).sorted().toList()),
        "those that were recorded last are kept");
  }

  /** Nothing may differ in the replica: its root is known, and is not asked of the target. */
  @Test
  void aDiskOfWhichNothingChangedIsDoneWithoutItsDigestsBeingRead() throws Exception {
    String root = recordedPoint();
    offer();
    Lease lease = leases.take("tug-1", 0).orElseThrow();
    assertEquals(root, lease.disks().get(0).root());
    disks.withdraw("r0-digests");
    leases.done(pass, new LeaseDone(1, 0, 0, 0, 0, 0, "", root, false));
    assertEquals(PassState.SHIPPED, state());
    verify(target, never()).openVolume(any(), any(), anyBoolean());
  }

  @Test
  void whoSaysThatNothingChangedIsNotBelievedOnceItSaidWhatItMayWrite() throws Exception {
    String root = recordedPoint();
    offer();
    take("tug-1");
    now = now.plus(LEASE).plusMillis(1);
    passes.shipped(pass);
    now = now.plus(Passes.LONGEST_PAUSE);
    Lease again = leases.take("tug-2", 0).orElseThrow();
    assertEquals("", again.disks().get(0).root(), "an attempt before may have written");
    finish(5);
    LeaseDone same = new LeaseDone(2, 0, 0, 0, 0, 0, "", root, false);
    assertEquals("report-impossible", refused(() -> leases.done(pass, same)));
  }

  @Test
  void whoSaysThatNothingChangedWithAnotherRootIsHeldAgainstTheTarget() throws Exception {
    recordedPoint();
    offer();
    leases.take("tug-1", 0);
    LeaseDone other = new LeaseDone(1, 0, 0, 0, 0, 0, "", "0".repeat(64), false);
    assertEquals("report-impossible", refused(() -> leases.done(pass, other)));
  }

  /** The replica is exactly its leg's newest point; gives the root of its digests. */
  private String recordedPoint() throws IOException {
    String root = finish(3);
    point(root);
    db.run(s -> s.find(ReplicaEntity.class, "rep").blank = false);
    return root;
  }

  /** A lane whose site is silent holds up no other. */
  @Test
  void whenManyPassesOfALaneAreOnTheirWayNoOtherOfThatLaneBegins() {
    db.run(
        s -> {
          for (String sql :
              List.of(
                  "insert into lane values ('l2', 'l2', 't', 's', '{}', 0)",
                  "insert into wave (id, name, created_at) values ('w2', 'w2', now())",
                  "insert into tow (id, wave_id, landed, diverged, name, lane_id, timetable_id) values ('tow2', 'w2', false, false, 'w2', 'l2', 'tt')")) {
            s.createNativeMutationQuery(sql).executeUpdate();
          }
        });
    List<String> others =
        IntStream.range(1, Passes.MOST_WAITING).mapToObj(i -> onItsWay()).toList();
    assertTrue(crowded("tow"), "with the one that is there from the beginning");
    assertFalse(crowded("tow2"));
    db.run(s -> s.find(PassEntity.class, others.get(0)).state = PassState.LEASED);
    assertFalse(crowded("tow"), "what a tug has is on its way");
  }

  private boolean crowded(String tow) {
    return db.tx(s -> Passes.crowded(s, tow));
  }

  private String onItsWay() {
    return db.tx(s -> Passes.create(s, clock, "run", "tow", null, 0, PassKind.TALLY, false).id);
  }

  /**
   * Its site has work for all its turns: the pass is offered again, and nothing counts against it.
   */
  @Test
  void aPassWhoseSiteIsBusyIsOfferedAgain() throws Exception {
    SiteException busy =
        new SiteException(
            SiteException.Kind.MAY_PASS, SiteException.BUSY, "8 calls are open", null);
    when(source.openSnapshot(any(), any(), any(), any())).thenThrow(busy);
    offer();
    db.run(s -> s.find(PassEntity.class, pass).urgent = true);
    assertEquals(Optional.empty(), leases.take("tug-1", 0));
    assertEquals(PassState.READY, state());
    assertTrue(passes.shipped(pass) instanceof Outcome.Wait);
    now = now.plusSeconds(59);
    assertEquals(Optional.empty(), leases.take("tug-1", 0));
    now = now.plusSeconds(1);
    assertEquals(
        "no-tug",
        assertThrows(RunFailure.class, () -> passes.shipped(pass)).code(),
        "machines may be down for it");
  }

  private String next() {
    return db.tx(s -> Passes.create(s, clock, "run", "tow", "leg", 2, PassKind.DELTA, true).id);
  }

  @Test
  void whatIsUnknownIsRefused() {
    assertEquals("pass-unknown", refused(() -> leases.report("pass-none", progress(1, 1))));
    assertEquals("pass-unknown", refused(() -> leases.done("pass-none", done(1, ""))));
  }
}
