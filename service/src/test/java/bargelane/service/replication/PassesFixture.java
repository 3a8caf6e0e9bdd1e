package bargelane.service.replication;

import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyBoolean;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import bargelane.api.Lease;
import bargelane.api.LeaseDone;
import bargelane.api.LeaseIntent;
import bargelane.api.LeaseOpen;
import bargelane.api.LeaseOpened;
import bargelane.api.LeaseReport;
import bargelane.blocks.BlockDevice;
import bargelane.blocks.DigestVolume;
import bargelane.core.replication.PassKind;
import bargelane.core.replication.PassState;
import bargelane.core.replication.Verification;
import bargelane.core.run.RunState;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.TestDatabase;
import bargelane.service.platform.TestDisks;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunEntity;
import bargelane.service.site.Ledger;
import bargelane.service.site.Sites;
import bargelane.sites.ExportRef;
import bargelane.sites.SiteDriver;
import bargelane.sites.Source;
import bargelane.sites.Target;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;

/** A pass of one disk at the desk, with a real database and a platform that does as it is told. */
abstract class PassesFixture {

  static final long SIZE = 1 << 20;
  static final Duration LEASE = Duration.ofSeconds(6);

  final Clock clock = mock(Clock.class);
  final Sites sites = mock(Sites.class);
  final SiteDriver driver = mock(SiteDriver.class);
  final Source source = mock(Source.class);
  final Target target = mock(Target.class);
  final RunEngine runs = mock(RunEngine.class);
  Instant now = Instant.parse("2026-11-02T08:00:00Z");
  TestDatabase database;
  Db db;
  Events events;
  Ledger ledger;
  Passes passes;
  Leases leases;
  String pass;
  TestDisks disks;

  /** The digests of the replica, at the target. */
  BlockDevice digests;

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
    disks = TestDisks.open();
    digests = disks.offer("r0-digests", DigestVolume.bytesFor(SIZE));
    when(target.openVolume(any(), eq("r0-digests"), anyBoolean()))
        .thenAnswer(x -> new ExportRef(x.getArgument(0), disks.uri("r0-digests"), false));
    database = TestDatabase.open();
    db = database.db();
    events = new Events(db, clock, database.url, "bargelane", database.password);
    ledger = new Ledger(db, sites, clock, "in-test", "node");
    passes = new Passes(db, sites, ledger, events, runs, LEASE, clock);
    leases = new Leases(passes);
    db.run(
        s -> {
          for (String sql :
              List.of(
                  "insert into site (id, name, kind, address, created_at, findings) values ('s', 's', 'standin', '', now(), '[]'), ('t', 't', 'standin', '', now(), '[]')",
                  "insert into lane values ('l', 'l', 's', 't', '{}', 0)",
                  "insert into timetable (id, name, every_seconds, rpo_seconds, keep_points, verify) values ('tt', 'tt', 15, 60, 6, true)",
                  "insert into wave (id, name, created_at) values ('w', 'w', now())",
                  "insert into tow (id, wave_id, landed, diverged, name, lane_id, timetable_id) values ('tow', 'w', false, false, 'w', 'l', 'tt')",
                  "insert into machine (id, site_id, platform_id, name, facts, first_seen, last_seen) values ('m', 's', 'p', 'a', '{\"disks\": []}', now(), now())",
                  "insert into member (id, tow_id, machine_id, name, rank, size, size_basis, home, open) values ('mem', 'tow', 'm', 'a', 1, '', '', '{}', true)",
                  "insert into leg (id, tow_id, number, direction, state, marker) values ('leg', 'tow', 1, 'out', 'open', '')")) {
            s.createNativeMutationQuery(sql).executeUpdate();
          }
          s.createNativeMutationQuery(
                  "insert into replica values ('rep', 'leg', 'mem', 0, 'r0', '', 1048576, '', false, true, 'r0-digests')")
              .executeUpdate();
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
    disks.close();
  }

  void offer() {
    passes.offer(pass, p -> p.disks = Json.text(List.of(disk())));
  }

  static PassDisk disk() {
    return PassDisk.fresh(
        0,
        "mem",
        "a",
        0,
        "rep",
        new PassDisk.From("s", "v0", "snap", "", ""),
        new PassDisk.To("t", "r0"),
        new PassDisk.Digests("t", "", "r0-digests"),
        SIZE);
  }

  /** Finishes the digests at the target, as a tug does before it says that it is done. */
  String finish(int block) throws IOException {
    DigestVolume volume = DigestVolume.open(digests);
    volume.set(block, volume.by().of(ByteBuffer.wrap(new byte[] {1}))[0]);
    return volume.finish(SIZE, () -> {});
  }

  /** Records a point of the disk as the leg's newest one. */
  void point(String root) {
    db.run(
        s -> {
          PointEntity point = new PointEntity();
          point.id = "point-1";
          point.towId = "tow";
          point.legId = "leg";
          point.siteId = "t";
          point.number = 1;
          point.name = "bl-point-1";
          point.asOf = now;
          point.consistency = "";
          point.verification = Verification.AT_TARGET;
          point.recordedAt = now;
          point.volumes = Json.text(List.of(new PointVolume("mem", 0, "r0", root, "r0-digests")));
          s.persist(point);
          s.find(LegEntity.class, "leg").pointId = point.id;
        });
  }

  /** Takes the pass, opens its target and says what may be written, as a tug does. */
  Lease take(String tug) throws InterruptedException {
    Lease lease = leases.take(tug, 0).orElseThrow();
    open(lease.epoch());
    leases.intent(pass, new LeaseIntent(lease.epoch(), 0, "0+1048576", false));
    return lease;
  }

  LeaseOpened open(long epoch) {
    return leases.open(pass, new LeaseOpen(epoch, 0));
  }

  LeaseDone done(long epoch, String root) {
    return new LeaseDone(epoch, 0, SIZE, SIZE, SIZE, 0, "", root, false);
  }

  static LeaseReport progress(long epoch, long done) {
    return new LeaseReport(epoch, 0, 1 << 20, done, done, done, 0, done);
  }

  PassState state() {
    return db.tx(s -> s.find(PassEntity.class, pass)).state;
  }

  String refused(Runnable what) {
    return assertThrows(ProblemException.class, what::run).code();
  }
}
