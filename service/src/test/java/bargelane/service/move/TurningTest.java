package bargelane.service.move;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.doNothing;
import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.DigestVolume;
import bargelane.core.replication.Direction;
import bargelane.core.replication.LegState;
import bargelane.service.platform.Db;
import bargelane.service.platform.TestDisks;
import bargelane.service.replication.Berth;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.PointEntity;
import bargelane.service.replication.PointVolume;
import bargelane.service.replication.ReplicaEntity;
import bargelane.service.replication.Side;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Work;
import bargelane.sites.ExportRef;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** Turning round after a cutover, driven again as after a kill. */
class TurningTest extends MovesFixture {

  /** The machine runs at the target; the disks at home are frozen as they were left. */
  @BeforeEach
  void landed() {
    stands(Side.AWAY, new Berth("new-1", List.of("bl-run-ledger-d0"), List.of()));
    work().put(MoveNotes.LEG, "leg-1");
    db.run(
        s -> {
          s.find(LegEntity.class, "leg-1").state = LegState.CLOSED;
          s.find(bargelane.service.replication.TowEntity.class, "tow").landed = true;
        });
  }

  private Turning.Turn turnTo(boolean equalsBase) {
    return new Turning.Turn(
        Side.AWAY,
        "bl-run-arm",
        Optional.of(db.tx(s -> s.find(PointEntity.class, "point-1"))),
        equalsBase,
        Map.of("mem/0", "0-4096"));
  }

  private <T> List<T> all(Class<T> type, String order) {
    return db.tx(s -> Db.list(s, type, "from " + type.getSimpleName() + " order by " + order));
  }

  private static final long SIZE = 1L << 30;

  private TestDisks disks;
  private BlockDevice copied;
  private String root;

  /** The digests of the common point, and the volume that they are copied to. */
  @BeforeEach
  void digests() throws IOException {
    disks = TestDisks.open();
    DigestVolume known = DigestVolume.open(disks.offer("known", DigestVolume.bytesFor(SIZE)));
    known.set(5, known.by().of(ByteBuffer.wrap(new byte[] {1}))[0]);
    root = known.finish(SIZE, () -> {});
    copied = disks.offer("copied", DigestVolume.bytesFor(SIZE));
    when(away.target.openFrozen(any(), eq("pass-1"), eq("replica-0-digests")))
        .thenAnswer(x -> new ExportRef(x.getArgument(0), disks.uri("known"), false));
    when(home.target.openVolume(any(), any(), eq(true)))
        .thenAnswer(x -> new ExportRef(x.getArgument(0), disks.uri("copied"), false));
  }

  @AfterEach
  void noDigests() throws IOException {
    disks.close();
  }

  @Test
  void theDisksThatWereLeftBecomeTheBaseOfTheWayBack() throws IOException {
    when(away.target.attachment("pass-1", "manifest")).thenReturn(Optional.of(new byte[] {7}));
    db.run(s -> Db.change(s, "update ReplicaEntity set key = ?1", "tide"));
    for (int life = 0; life < 2; life++) {
      turning.turn(work(), turnTo(true));
    }
    List<LegEntity> legs = all(LegEntity.class, "number");
    assertEquals(2, legs.size(), "a turn that is driven twice opens one leg");
    LegEntity back = legs.get(1);
    assertEquals(Direction.BACK, back.direction);
    assertEquals(LegState.OPEN, back.state);
    assertEquals("bl-run-arm", back.marker);
    assertEquals("run", back.begunBy);
    assertEquals(2, all(ReplicaEntity.class, "id").size());
    ReplicaEntity replica = all(ReplicaEntity.class, "volume").get(0);
    assertEquals("bl-" + back.id + "-ledger-d0", replica.volume);
    assertEquals("0-4096", replica.intent, "what may differ is written again by the first pass");
    assertEquals("tide", replica.key, "the next way out has it again");
    verify(home.target)
        .createVolume(
            replica.digests, "bargelane/in-test/tow", DigestVolume.bytesFor(SIZE), "shelf", "");
    PointEntity common = all(PointEntity.class, "number").get(1);
    assertEquals(2, common.number);
    assertEquals("home", common.siteId);
    assertEquals(now.minusSeconds(9), common.asOf, "it is as old as the point that it equals");
    assertEquals(
        List.of(new PointVolume("mem", 0, "vol-0", "root-0", replica.digests)),
        PointVolume.of(common));
    assertFalse(replica.anywhere, "the digests of the common point are its own");
    assertEquals(root, DigestVolume.root(copied, SIZE));
    verify(home.target)
        .freeze("bl-run-anchor", "bargelane/in-test/tow", List.of("vol-0", replica.digests));
    verify(home.target).attach(eq("bl-run-anchor"), eq("manifest"), any());
    assertEquals(
        List.of(),
        recorded().stream().filter(o -> o.contains(" export ")).toList(),
        "what they were copied through is closed");
    assertEquals(List.of(back.id), watched(), "its passes are due at once");
  }

  /** Whoever was relieved comes back when passes of the leg may have gone on from the digests. */
  @Test
  void digestsOfALegThatIsOpenAreNotCopiedOver() throws IOException {
    when(home.target.openVolume(any(), any(), eq(true)))
        .thenAnswer(
            x -> {
              String next = work().need(MoveNotes.NEXT_LEG);
              db.run(
                  s -> {
                    LegEntity opened = new LegEntity();
                    opened.id = next;
                    opened.towId = "tow";
                    opened.number = 2;
                    opened.direction = Direction.BACK;
                    opened.state = LegState.OPEN;
                    opened.marker = "";
                    s.persist(opened);
                  });
              return new ExportRef(x.getArgument(0), disks.uri("copied"), false);
            });
    turning.turn(work(), turnTo(false));
    assertThrows(IOException.class, () -> DigestVolume.root(copied, SIZE));
    assertEquals(1, all(ReplicaEntity.class, "id").size());
  }

  @Test
  void aCommonPointWithoutDigestsLeavesAllInDoubt() {
    db.run(
        s ->
            s.find(PointEntity.class, "point-1").volumes =
                "[{\"memberId\": \"mem\", \"disk\": 0, \"volume\": \"replica-0\", \"root\": \"r\"}]");
    turning.turn(work(), turnTo(true));
    assertTrue(all(ReplicaEntity.class, "volume").get(0).anywhere);
    verify(away.target, never()).openFrozen(any(), any(), any());
  }

  @Test
  void aSideThatDiffersFromTheCommonPointIsNoPoint() {
    turning.turn(work(), turnTo(false));
    assertEquals(1, all(PointEntity.class, "number").size());
    verify(home.target, never()).attach(any(), any(), any());
  }

  @Test
  void aDiskThatWasTakenOffMeanwhileIsNamed() {
    when(home.driver.inventory()).thenReturn(seen("another"));
    Work w = work();
    RunFailure failure = assertThrows(RunFailure.class, () -> turning.turn(w, turnTo(true)));
    assertEquals("disk-missing", failure.code());
    assertEquals("volume vol-0 of ledger is no longer attached at home", failure.getMessage());
    assertEquals(1, all(LegEntity.class, "number").size());
  }

  @Test
  void aLegThatIsDroppedLeavesNothing() {
    turning.dropLeg("leg-1");
    verify(away.target).deleteVolume("replica-0");
    verify(away.target).deleteVolume("replica-0-digests");
    verify(away.target).deletePoint("pass-1");
    verify(home.source).forgetMarker("mark");
    assertEquals(List.of(), recorded());
    assertEquals(List.of(), all(PointEntity.class, "number"));
    assertEquals(List.of(), all(ReplicaEntity.class, "id"));
  }

  @Test
  void aServiceThatDiesWhileItDropsALegLeavesNothingEither() {
    doThrow(new Error("killed")).when(away.target).deleteVolume("replica-0");
    assertThrows(Error.class, () -> turning.dropLeg("leg-1"));
    doNothing().when(away.target).deleteVolume("replica-0");
    services.ledger().open();
    turning.dropLeg("leg-1");
    verify(away.target).deletePoint("pass-1");
    assertEquals(List.of(), recorded());
  }

  @Test
  void whatCannotBeDroppedYetIsDroppedLater() {
    doThrow(AWAY).when(away.target).deletePoint("pass-1");
    turning.dropLeg("leg-1");
    assertEquals(List.of("away point pass-1 to be removed"), recorded());
    assertEquals(List.of(), all(PointEntity.class, "number"), "nobody starts it any more");
    doNothing().when(away.target).deletePoint("pass-1");
    services.ledger().sweep();
    assertEquals(List.of(), recorded());
  }

  @Test
  void onlyLegsBeforeTheOneThatEndedGo() {
    db.run(
        s -> {
          LegEntity next = new LegEntity();
          next.id = "leg-2";
          next.towId = "tow";
          next.number = 2;
          next.direction = Direction.BACK;
          next.state = LegState.CLOSED;
          next.marker = "";
          s.persist(next);
        });
    turning.dropOlderLegs(work());
    verify(away.target, never()).deletePoint(any());
    work().put(MoveNotes.LEG, "leg-2");
    turning.dropOlderLegs(work());
    verify(away.target).deletePoint("pass-1");
  }
}
