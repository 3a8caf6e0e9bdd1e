package bargelane.service.platform;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.replication.PassState;
import bargelane.core.replication.Verification;
import bargelane.core.site.Inventory;
import bargelane.service.machine.LabelRuleEntity;
import bargelane.service.machine.MachineWaveEntity;
import bargelane.service.node.Entities;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.PassEntity;
import bargelane.service.replication.Passes;
import bargelane.service.replication.PointEntity;
import bargelane.service.replication.ReplicaEntity;
import bargelane.service.replication.TowEntity;
import bargelane.service.run.RunEntity;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.List;
import org.flywaydb.core.Flyway;
import org.junit.jupiter.api.Test;

/** A database of an earlier version, with rows in it, is brought up to date and loses nothing. */
class MigrationTest {

  private static final String BEFORE_ROOMS =
      """
      insert into site (id, name, kind, address, created_at, findings) values
        ('site-1', 'here', 'standin', '', now(), '[]'), ('site-2', 'there', 'standin', '', now(), '[]');
      insert into machine (id, site_id, platform_id, name, facts, first_seen, last_seen)
        values ('m-1', 'site-1', 'p', 'a', '{}', now(), now());
      insert into lane values ('lane-1', 'over', 'site-1', 'site-2', '{}', 0);
      insert into timetable (id, name, every_seconds, rpo_seconds, keep_points, verify) values ('tt-1', 'often', 15, 60, 6, true);
      insert into wave (id, name, lane_id, timetable_id, created_at, settled_at)
        values ('wave-1', 'lending', 'lane-1', 'tt-1', now(), '2026-11-01T00:00:00Z');
      insert into tow (id, wave_id, landed, diverged) values ('tow-1', 'wave-1', true, false);
      insert into member (id, tow_id, machine_id, name, rank, size, size_basis, home, open)
        values ('mem-1', 'tow-1', 'm-1', 'a', 1, '', '', '{}', true);
      insert into leg (id, tow_id, number, direction, state, marker) values ('leg-2', 'tow-1', 2, 'back', 'open', '');
      insert into run (id, kind, title, tow_id, state, epoch, input, notes, started_by, started_at)
        values ('run-1', 'cutover', 'Cutover of lending', 'tow-1', 'done', 1, '{}', '{"nextLeg": "leg-2"}', 'e', now()),
          ('run-2', 'pass', 'Pass', 'tow-1', 'backing out', 1, '{}', '{}', 'timetable', now());
      insert into run (id, kind, title, site_id, state, epoch, input, notes, started_by, started_at)
        values ('run-3', 'scan', 'Scan of here', 'site-1', 'running', 1, '{}', '{}', 'e', now());
      insert into pass (id, run_id, tow_id, leg_id, number, kind, state, started_at, ended_at, epoch, tug, attempts, verify,
          digest_site_id, digest_point, disks, total, done, read, sent, zeroed, problem)
        values ('pass-1', 'run-2', 'tow-1', 'leg-2', 1, 'delta', 'failed', now(), now(), 1, '', 0, true,
          '', '', '[]', 0, 0, 0, 0, 0, 'no-space: the disk is full: no room'),
        ('pass-2', 'run-2', 'tow-1', 'leg-2', 2, 'delta', 'leased', now(), null, 1, '', 0, true,
          '', '', '[{"index": 0, "mayDiffer": ""}]', 0, 0, 0, 0, 0, '');
      insert into replica (id, leg_id, member_id, disk, volume, storage, bytes, intent, anywhere, blank) values
        ('rep-1', 'leg-2', 'mem-1', 0, 'v', '', 1048576, '', false, false),
        ('rep-2', 'leg-2', 'mem-1', 1, 'w', '', 1048576, '', false, true);
      insert into point (id, tow_id, leg_id, site_id, number, name, as_of, spread_ms, consistency, verified, recorded_at, sent, volumes)
        values ('point-1', 'tow-1', 'leg-2', 'site-1', 1, 'p', now(), 0, 'crash', true, now(), 0,
          '[{"memberId": "mem-1", "disk": 0, "volume": "v", "root": "r", "digests": "v-digests"}, {"memberId": "mem-1", "disk": 1, "volume": "w", "root": "q"}]'),
        ('point-2', 'tow-1', 'leg-2', 'site-1', 2, 'q', now(), 0, 'crash', true, now(), 0, '[]');
      update site set inventory = '{"zones": ["z"], "quota": {"machines": 9, "machinesUsed": 1, "volumeGib": 5, "volumeGibUsed": 0},
        "networks": [{"id": "n", "name": "N", "zone": "z", "cidr": "10.0.0.0/24", "isolated": false}],
        "storages": [{"id": "reed", "name": "Reed", "media": "ssd", "pricePerGibMonth": 0.1, "currency": "EUR"}],
        "sizes": [{"id": "s-2", "cpus": 2, "memoryMib": 4096, "pricePerHour": 0.04, "currency": "EUR", "limits": {"family": "big", "zones": ["z"]}}],
        "machines": [{"owner": "", "nics": [{"network": "n", "address": "10.0.0.7"}, {"network": "n", "address": ""}]},
          {"owner": "bargelane/x", "nics": [{"network": "n", "address": "10.0.0.8"}]}]}' where id = 'site-2';
      insert into label_rule (id, filter, name, value, made_by, made_at) values ('lr-1', 'name ~ a and site in (x)', 'k', 'v', 'e', now());
      """;

  @Test
  void aDatabaseFromBeforeTheRoomsKeepsItsRunsTowsAndPasses() throws Exception {
    try (TestDatabase database = TestDatabase.apart();
        Connection c = DriverManager.getConnection(database.url, "bargelane", database.password)) {
      execute(c, "drop schema public cascade; create schema public");
      Flyway.configure()
          .dataSource(database.url, "bargelane", database.password)
          .javaMigrations(Entities.migrations())
          .target("8")
          .load()
          .migrate();
      execute(c, BEFORE_ROOMS);
      try (Db db = database.connect()) {
        db.run(
            s -> {
              TowEntity tow = s.find(TowEntity.class, "tow-1");
              assertEquals("lending", tow.name);
              assertEquals("lane-1", tow.laneId);
              assertEquals("tt-1", tow.timetableId);
              assertEquals("2026-11-01T00:00:00Z", tow.settledAt.toString());
              RunEntity cutover = s.find(RunEntity.class, "run-1");
              assertEquals("wave", cutover.subjectKind);
              assertEquals("lending", cutover.subjectName);
              assertTrue(!cutover.routine && s.find(RunEntity.class, "run-2").routine);
              assertEquals("here", s.find(RunEntity.class, "run-3").subjectName);
              assertEquals("run-1", s.find(LegEntity.class, "leg-2").begunBy);
              PassEntity pass = s.find(PassEntity.class, "pass-1");
              assertEquals(PassState.FAILED, pass.state);
              assertEquals("no-space", pass.problemCode);
              assertEquals("the disk is full: no room", pass.problem);
              PassEntity open = s.find(PassEntity.class, "pass-2");
              assertEquals(PassState.FAILED, open.state, "a pass of the former kind ends");
              assertEquals(List.of(), Passes.disks(open));
              ReplicaEntity replica = s.find(ReplicaEntity.class, "rep-1");
              assertTrue(replica.anywhere && replica.digests.isEmpty(), "all of it is compared");
              assertFalse(s.find(ReplicaEntity.class, "rep-2").anywhere, "it is blank");
              PointEntity point = s.find(PointEntity.class, "point-1");
              assertEquals(Verification.NONE, point.verification, "it was read before its flush");
              assertEquals(2, Json.read(point.volumes, List.class).size());
              assertFalse(point.volumes.contains("v-digests"), "they are of a former format");
              assertEquals("[]", s.find(PointEntity.class, "point-2").volumes);
              SiteEntity there = s.find(SiteEntity.class, "site-2");
              Inventories shores = new Inventories(s);
              assertEquals("10.0.0.0/24", shores.of(there).network("N").orElseThrow().cidr());
              assertEquals(List.of("z"), shores.of(there).sizes().get(0).limits().zones());
              assertEquals("reed", shores.of(there).storages().get(0).id());
              assertEquals(9, shores.of(there).quota().machines());
              assertEquals(
                  List.of(new Inventory.Nic("n", "10.0.0.7", "")),
                  shores.taken(there, List.of("n")),
                  "what is ours is not taken");
              assertTrue(shores.maybe(s.find(SiteEntity.class, "site-1")).isEmpty());
              assertEquals(
                  "name has a and site among (x)", s.find(LabelRuleEntity.class, "lr-1").filter);
              assertEquals("lending", s.find(MachineWaveEntity.class, "m-1").waveName);
            });
      }
    }
  }

  private static void execute(Connection c, String sql) throws SQLException {
    try (Statement s = c.createStatement()) {
      s.execute(sql);
    }
  }
}
