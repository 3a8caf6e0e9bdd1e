package bargelane.service.replication;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyBoolean;
import static org.mockito.Mockito.atLeastOnce;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.api.Lease;
import bargelane.api.LeaseDone;
import bargelane.api.LeaseFailed;
import bargelane.api.LeaseReport;
import bargelane.core.replication.PassKind;
import bargelane.core.replication.PassState;
import bargelane.core.run.RunState;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.TestDatabase;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunEntity;
import bargelane.service.run.RunFailure;
import bargelane.service.site.Ledger;
import bargelane.service.site.Sites;
import bargelane.sites.ExportRef;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Source;
import bargelane.sites.Target;
import java.io.IOException;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** The desk where tugs get passes, with a real database and a platform that does as it is told. */
class PassesTest {

  private static final Duration LEASE = Duration.ofSeconds(6);

  private final Clock clock = mock(Clock.class);
  private final Sites sites = mock(Sites.class);
  private final SiteDriver driver = mock(SiteDriver.class);
  private final Source source = mock(Source.class);
  private final Target target = mock(Target.class);
  private final RunEngine runs = mock(RunEngine.class);
  private Instant now = Instant.parse("2026-11-02T08:00:00Z");
  private TestDatabase database;
  private Db db;
  private Events events;
  private Passes passes;
  private Leases leases;
  private String pass;

  @BeforeEach
  void open() throws IOException {
    when(clock.instant()).thenAnswer(x -> now);
    when(sites.driver(any())).thenReturn(driver);
    when(driver.source()).thenReturn(source);
    when(driver.target()).thenReturn(target);
    when(source.openSnapshot(any(), any(), any(), any()))
        .thenAnswer(x -> new ExportRef(x.getArgument(0), "nbd+unix:///" + x.getArgument(0), true));
    when(target.openVolume(any(), any(), anyBoolean()))
        .thenAnswer(x -> new ExportRef(x.getArgument(0), "nbd+unix:///" + x.getArgument(0), true));
    database = TestDatabase.open();
    db = database.db();
    events = new Events(db, clock, database.url, "bargelane", database.password);
    Ledger ledger = new Ledger(db, sites, clock, "in-test");
    passes = new Passes(db, sites, ledger, events, runs, LEASE, clock);
    leases = new Leases(passes);
    db.run(
        s -> {
          for (String sql :
              List.of(
                  "insert into site (id, name, kind, address, created_at, findings) values ('s', 's', 'k', '', now(), '[]'), ('t', 't', 'k', '', now(), '[]')",
                  "insert into lane values ('l', 'l', 's', 't', '{}', 0)",
                  "insert into timetable (id, name, every_seconds, rpo_seconds, keep_points, verify) values ('tt', 'tt', 15, 60, 6, true)",
                  "insert into wave (id, name, created_at) values ('w', 'w', now())",
                  "insert into tow (id, wave_id, landed, diverged, name, lane_id, timetable_id) values ('tow', 'w', false, false, 'w', 'l', 'tt')",
                  "insert into leg (id, tow_id, number, direction, state, marker) values ('leg', 'tow', 1, 'out', 'open', '')")) {
            s.createNativeMutationQuery(sql).executeUpdate();
          }
          RunEntity run = new RunEntity();
          run.id = "run";
          run.kind = "pass";
          run.title = "Pass";
          run.subjectKind = "wave";
          run.subjectId = "tow";
          run.subjectName = "w";
          run.state = RunState.RUNNING;
          run.input = "{}";
          run.notes = "{}";
          run.startedBy = "e";
          run.startedAt = now;
          s.persist(run);
        });
    pass = db.tx(s -> Passes.create(s, clock, "run", "tow", "leg", 1, PassKind.FULL, true).id);
  }

  @AfterEach
  void shut() throws IOException {
    events.close();
    database.close();
  }

  private void offer() {
    passes.offer(
        pass,
        p ->
            p.disks =
                Json.text(
                    List.of(
                        PassDisk.fresh(
                            0, "mem", "a", 0, "rep", "s", "v0", "snap", "", "t", "r0", 1 << 20, "",
                            false))));
  }

  private Lease take(String tug) throws InterruptedException {
    return leases.take(tug, 0).orElseThrow();
  }

  private static LeaseReport progress(long epoch, long done) {
    return new LeaseReport(epoch, 0, 1 << 20, done, done, done, 0, done);
  }

  private PassState state() {
    return db.tx(s -> s.find(PassEntity.class, pass)).state;
  }

  private String refused(Runnable what) {
    return assertThrows(ProblemException.class, what::run).code();
  }

  @Test
  void aPassIsGivenToOneTugOnlyAndShippedWhenAllItsDisksAre() throws InterruptedException {
    assertEquals(Optional.empty(), leases.take("tug-1", 0), "what is not offered is nobody's");
    offer();
    Lease lease = take("tug-1");
    assertEquals(1, lease.epoch());
    assertEquals("nbd+unix:///bl-" + pass + "-0-s", lease.disks().get(0).sourceUri());
    assertEquals(Optional.empty(), leases.take("tug-2", 0));
    leases.report(pass, progress(1, 4096));
    assertTrue(passes.shipped(pass) instanceof Outcome.Wait);
    byte[] map = {1, 2, 3};
    leases.putDigests(pass, 1, 0, map);
    leases.done(pass, new LeaseDone(1, 0, 1 << 20, 1 << 20, 1 << 20, 0, "", "root"));
    assertEquals(PassState.SHIPPED, state());
    assertArrayEquals(map, passes.shippedDigests(pass, 0));
    assertTrue(passes.shipped(pass) instanceof Outcome.Done);
    verify(runs, atLeastOnce()).wake("run");
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
    Lease second = take("tug-2");
    assertEquals(2, second.epoch());
    assertEquals(65536, second.disks().get(0).resumeFrom(), "it goes on from what was told");
    assertEquals("lease-lost", refused(() -> leases.report(pass, progress(1, 80000))));
    leases.report(pass, progress(2, 1000));
    assertEquals(
        65536,
        Passes.disks(db.tx(s -> s.find(PassEntity.class, pass))).get(0).watermark(),
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

  @Test
  void whatMayPassIsTriedAgainSixTimesAndThenGivenUp() throws InterruptedException {
    offer();
    for (int i = 1; i <= 6; i++) {
      Lease lease = take("tug-1");
      leases.failed(pass, new LeaseFailed(lease.epoch(), "may-pass", "the line was cut"));
    }
    assertEquals(PassState.FAILED, state());
    RunFailure failure = assertThrows(RunFailure.class, () -> passes.shipped(pass));
    assertEquals("gave-up", failure.code());
    assertTrue(failure.getMessage().contains("after 6 attempts: the line was cut"));
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
  void sealingRevokesWhatWasOpenedAndLeavesNothingRecorded() throws InterruptedException {
    offer();
    take("tug-1");
    passes.seal(pass);
    verify(source).closeExport("bl-" + pass + "-0-s");
    verify(target).closeExport("bl-" + pass + "-0-t");
    assertEquals(
        0L,
        db.tx(s -> Db.first(s, Long.class, "select count(*) from SiteObjectEntity")).orElseThrow());
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
    db.run(s -> Passes.close(s, s.find(PassEntity.class, pass), PassState.COMPLETE, now));
    db.run(s -> Passes.create(s, clock, "run", "tow", "leg", 2, PassKind.DELTA, true));
  }

  @Test
  void whatIsUnknownIsRefused() {
    assertEquals("pass-unknown", refused(() -> leases.report("pass-none", progress(1, 1))));
    assertEquals("pass-unknown", refused(() -> leases.digests("pass-none", 0)));
  }
}
