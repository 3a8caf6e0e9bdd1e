package bargelane.service.replication;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertInstanceOf;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.api.Lease;
import bargelane.api.LeaseDone;
import bargelane.api.LeaseOpen;
import bargelane.api.LeaseOpened;
import bargelane.core.replication.PassKind;
import bargelane.core.replication.PassState;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunEntity;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Work;
import bargelane.service.run.Works;
import bargelane.sites.ExportRef;
import java.time.Duration;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** The copies of a leg, held against their digests when nothing else is to be done. */
class ScrubTest extends PassesFixture {

  private ScrubRun kind;
  private Work work;

  @BeforeEach
  void recorded() {
    kind = new ScrubRun(new Services(db, clock, events, sites, ledger, runs, passes));
    when(target.openFrozen(any(), any(), any()))
        .thenAnswer(x -> new ExportRef(x.getArgument(0), "nbd+unix:///" + x.getArgument(0), true));
    db.run(
        s -> {
          s.find(RunEntity.class, "run").input = "{\"leg\": \"leg\"}";
        });
    point("root");
    work = Works.take(db, events, clock, "run");
  }

  private Outcome compare() {
    return kind.steps(work).get(0).action().run(work);
  }

  private LegEntity leg() {
    return db.tx(s -> s.find(LegEntity.class, "leg"));
  }

  private ReplicaEntity replica() {
    return db.tx(s -> s.find(ReplicaEntity.class, "rep"));
  }

  private static LeaseDone told(Lease lease, long differ) {
    return new LeaseDone(
        lease.epoch(), 0, SIZE, SIZE, differ, 0, differ == 0 ? "" : "0+65536", "", false);
  }

  @Test
  void thePointIsReadAsItIsFrozenAndHeldAgainstItsOwnDigests() throws InterruptedException {
    assertInstanceOf(Outcome.Wait.class, compare());
    assertEquals(Optional.of("point-1"), work.get(PassNotes.POINT), "it is not thinned meanwhile");
    Lease lease = leases.take("tug-1", 0).orElseThrow();
    assertEquals("tally", lease.kind());
    LeaseOpened opened = leases.open(lease.pass(), new LeaseOpen(lease.epoch(), 0));
    assertEquals("", opened.targetUri(), "nothing is written");
    verify(target).openFrozen("bl-" + lease.pass() + "-0-s-1", "bl-point-1", "r0");
    verify(target).openFrozen("bl-" + lease.pass() + "-0-d-1", "bl-point-1", "r0-digests");
    leases.done(lease.pass(), told(lease, 0));
    assertEquals("1MiB compared, no block differs", ((Outcome.Done) compare()).detail());
    assertEquals(now, leg().scrubbedAt);
    assertEquals("", leg().scrubFound);
    verify(target).closeExport("bl-" + lease.pass() + "-0-s-1");
    assertInstanceOf(Outcome.Done.class, compare(), "whoever drives it again finds it ended");
  }

  @Test
  void disksThatDifferAreInDoubtUntilAPassHasComparedThem() throws InterruptedException {
    db.run(s -> s.find(ReplicaEntity.class, "rep").blank = false);
    compare();
    Lease lease = leases.take("tug-1", 0).orElseThrow();
    leases.done(lease.pass(), told(lease, 65536));
    for (int life = 0; life < 2; life++) {
      RunFailure failure = assertThrows(RunFailure.class, this::compare);
      assertEquals("copy-differs", failure.code());
      assertEquals(
          "64KiB at the target are not what was written there: disk 0 of a", failure.getMessage());
    }
    assertTrue(replica().anywhere);
    assertFalse(leg().scrubFound.isEmpty());
  }

  /** A pass that was leased before knows nothing of the doubt, and its end would clear it. */
  @Test
  void aPassThatIsUnderWayEndsBeforeADiskIsPutInDoubt() throws InterruptedException {
    db.run(s -> s.find(ReplicaEntity.class, "rep").blank = false);
    offer();
    take("tug-1");
    compare();
    Lease lease = leases.take("tug-1", 0).orElseThrow();
    leases.done(lease.pass(), told(lease, 65536));
    assertInstanceOf(Outcome.Wait.class, compare());
    assertFalse(replica().anywhere);
    db.run(s -> Passes.close(s.find(PassEntity.class, pass), PassState.COMPLETE, now));
    // One that no tug has taken yet reads the doubt when it is.
    String next =
        db.tx(s -> Passes.create(s, clock, "run", "tow", "leg", 2, PassKind.DELTA, true).id);
    assertEquals("copy-differs", assertThrows(RunFailure.class, this::compare).code());
    assertTrue(replica().anywhere);
    passes.offer(next, p -> p.disks = Json.text(List.of(disk())));
    Lease knows = leases.take("tug-1", 0).orElseThrow();
    assertTrue(knows.disks().get(0).mayDifferAnywhere());
    assertEquals("", knows.disks().get(0).root());
  }

  @Test
  void aScrubGivesWayToEveryPassAndToAnotherScrub() throws InterruptedException {
    compare();
    String other =
        db.tx(
            s -> {
              PassEntity p = Passes.create(s, clock, "run", "tow", null, 0, PassKind.TALLY, false);
              p.idle = true;
              p.state = PassState.READY;
              p.disks = Json.text(List.of());
              return p.id;
            });
    offer();
    assertEquals(pass, leases.take("tug-1", 0).orElseThrow().pass());
    String scrub = leases.take("tug-1", 0).orElseThrow().pass();
    assertEquals(Optional.empty(), leases.take("tug-2", 0), "one at a time");
    passes.abandon(scrub, "given-up", "");
    assertEquals(
        scrub.equals(other) ? work.need(PassNotes.PASS) : other,
        leases.take("tug-2", 0).orElseThrow().pass());
  }

  @Test
  void aLegIsScrubbedAWeekAfterItBeganAndAfterEachScrubOneAtATime() {
    RunEngine engine = new RunEngine(db, events, clock);
    engine.add(kind);
    Scrubs scrubs = new Scrubs(db, engine, clock);
    scrubs.due();
    assertEquals(0, scrubRuns());
    now = now.plus(Scrubs.EVERY).plusSeconds(1);
    scrubs.due();
    scrubs.due();
    assertEquals(1, scrubRuns());
    db.run(s -> Db.change(s, "update RunEntity set endedAt = ?1 where kind = 'scrub'", now));
    db.run(s -> s.find(LegEntity.class, "leg").scrubbedAt = now);
    now = now.plus(Scrubs.EVERY).minus(Duration.ofHours(1));
    scrubs.due();
    assertEquals(1, scrubRuns());
    now = now.plus(Duration.ofHours(2));
    scrubs.due();
    assertEquals(2, scrubRuns());
  }

  private long scrubRuns() {
    return db.tx(
            s -> Db.first(s, Long.class, "select count(*) from RunEntity where kind = ?1", "scrub"))
        .orElseThrow();
  }
}
