package bargelane.service.move;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertInstanceOf;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyBoolean;
import static org.mockito.ArgumentMatchers.anyLong;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.doAnswer;
import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.inOrder;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.times;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.api.RefitOffer;
import bargelane.api.RefitOfferChoice;
import bargelane.api.RefitView;
import bargelane.blocks.BlockDevice;
import bargelane.core.lane.Placement;
import bargelane.core.run.RunState;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory.DeviceFamily;
import bargelane.core.wave.Proof;
import bargelane.service.plan.Plans;
import bargelane.service.plan.Waves;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.TestDisks;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEntity;
import bargelane.service.run.RunFailure;
import bargelane.service.site.SiteEntity;
import bargelane.sites.ExportRef;
import bargelane.sites.SiteException;
import bargelane.sites.Target.Owned;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.mockito.InOrder;

/** Looks into guests whose file systems the service does not read itself. */
class RefitsTest extends MovesFixture {

  private static final String CLONE = "bl-run-ledger-d0";
  private static final String COPIED = "bl-run-look-ledger";

  @TempDir Path dir;
  private TestDisks disks;
  private boolean yardIsThere;

  @BeforeEach
  void aGuestOnXfs() throws IOException {
    disks = TestDisks.open();
    BlockDevice clone = disks.offer(CLONE, 1 << 20);
    clone.write(0, ByteBuffer.wrap("XFSB".getBytes(StandardCharsets.US_ASCII)));
    when(away.target.openVolume(any(), any(), anyBoolean()))
        .thenAnswer(
            x -> {
              String volume = x.getArgument(1);
              return new ExportRef(x.getArgument(0), disks.uri(volume), false);
            });
    when(away.compute.looks()).thenReturn(true);
    db.run(
        s ->
            s.find(SiteEntity.class, "away").capabilities =
                Json.text(
                    new Capabilities(
                        "p",
                        "1",
                        Capabilities.Reach.SITE,
                        65536,
                        true,
                        false,
                        true,
                        new DeviceFamily("virtio", "virtio"))));
  }

  @AfterEach
  void withdraw() throws IOException {
    disks.withdraw(CLONE);
    disks.withdraw(COPIED);
    disks.close();
  }

  /** What a yard writes: one file system, of which it tells. */
  private void yardCopies(String place) throws IOException {
    Path files = Files.createDirectories(dir.resolve("files/0/etc")).getParent().getParent();
    Files.writeString(files.resolve("0/etc/fstab"), "UUID=ab / xfs defaults 0 1\n");
    Files.writeString(files.resolve("0/etc/os-release"), "PRETTY_NAME=\"Tidewater OS 4\"\n");
    Files.writeString(files.resolve("places"), place);
    Path image = dir.resolve("image");
    Process made =
        new ProcessBuilder(
                "/sbin/mke2fs",
                "-q",
                "-F",
                "-t",
                "ext2",
                "-d",
                files.toString(),
                image.toString(),
                "4m")
            .start();
    assertEquals(0, made.onExit().join().exitValue());
    byte[] bytes = Files.readAllBytes(image);
    doAnswer(
            x -> {
              disks.offer(COPIED, bytes.length).write(0, ByteBuffer.wrap(bytes));
              return null;
            })
        .when(away.compute)
        .look(any(), any(), any(), any(), any());
  }

  private RefitView looked() {
    Refits refits = new Refits(services, moves, landing);
    refits.review(work(), Side.AWAY);
    return Json.read(db.tx(s -> s.find(MemberEntity.class, "mem").refitPlan), RefitView.class);
  }

  @Test
  void aYardIsAskedForWhatIsHiddenAndNothingOfItIsLeft() throws IOException {
    yardCopies("0\t0\t0\t\txfs\tab\t\t1048576\t99\n");
    RefitView seen = looked();
    assertEquals("Tidewater OS 4", seen.os());
    assertTrue(seen.refused().toString().contains("no loader configuration"), seen.toString());
    verify(away.compute)
        .look(COPIED, "bargelane/in-test/tow", List.of(CLONE), List.of("0/0"), COPIED);
    assertTrue(recorded().stream().noneMatch(r -> r.contains("look")), recorded().toString());
  }

  @Test
  void whatIsOfferedIsAddedWhereItIsWantedAndIsPartOfWhatATestProves() throws IOException {
    Path units = Files.createDirectories(dir.resolve("files/0/usr/lib/systemd/system"));
    Files.writeString(units.resolve("systemd-timesyncd.service"), "[Service]\n");
    yardCopies("0\t0\t0\t\txfs\tab\t\t1048576\t99\n");
    assertEquals(List.of(), looked().edits());
    Waves waves = mock(Waves.class);
    when(waves.state("w")).thenAnswer(x -> db.tx(s -> TowState.load(s, "tow")));
    RefitWords words = new RefitWords(services, waves);
    RefitOffer offered = words.refits("w").get(0).offers().get(0);
    assertEquals("time-sync", offered.name());
    assertFalse(offered.accepted());
    Placement place = new Placement("s", List.of(), List.of(), "");
    Proof before = proof(waves, place);

    RefitOfferChoice wanted = new RefitOfferChoice(null, "time-sync", true);
    assertTrue(words.choose("w", wanted, "ann").get(0).offers().get(0).accepted());
    words.choose("w", wanted, "ann");
    assertEquals(1, looked().edits().size());
    assertEquals(List.of("what the refit adds"), before.lapsedBy(proof(waves, place)));
    assertTrue(words.refits("w").get(0).offers().get(0).accepted());

    words.choose("w", new RefitOfferChoice("ledger", "time-sync", false), "ann");
    assertEquals(List.of(), looked().edits());
    assertEquals(List.of(), before.lapsedBy(proof(waves, place)));
    Proof begunWith = new Proof(place, 2, 4096, "uefi", List.of(), null, List.of("time-sync"));
    work().put(MoveNotes.TRIED, Map.of("mem", begunWith));
    assertEquals(1, looked().edits().size(), "a test adds what it began with");
    RefitOfferChoice unknown = new RefitOfferChoice(null, "wings", true);
    assertEquals(
        "offer-unknown",
        assertThrows(ProblemException.class, () -> words.choose("w", unknown, "ann")).code());
  }

  @Test
  void whatIsInTheWayEndsAMoveBeforeAnythingIsStopped() {
    Refits refits = new Refits(services, moves, landing);
    when(away.compute.looks()).thenReturn(false);
    when(services.runs().start(any(), any())).thenReturn("part");
    db.run(s -> begun(s, "part", "refit", "run"));
    assertInstanceOf(Outcome.Wait.class, refits.lookFirst(work(), Side.AWAY));
    looked();
    db.run(s -> s.find(RunEntity.class, "part").state = RunState.DONE);
    RunFailure refused = assertThrows(RunFailure.class, () -> refits.lookFirst(work(), Side.AWAY));
    assertEquals("refit-refused", refused.code());
    db.run(s -> s.find(MemberEntity.class, "mem").refitWord = "ann: tried by hand");
    assertInstanceOf(Outcome.Done.class, refits.lookFirst(work(), Side.AWAY));
    verify(services.runs(), times(1)).start(any(), any());
    verify(home.compute, never()).stop(any());
  }

  private static Proof proof(Waves waves, Placement place) {
    TowState state = waves.state("w");
    return Plans.proof(state, state.members.get(0), place);
  }

  @Test
  void whatTheYardCouldNotReadIsSaid() throws IOException {
    yardCopies("0\t0\t0\t\txfs\t\tthe yard could not read it: torn\t0\t0\n");
    RefitView seen = looked();
    assertTrue(seen.unjudged().toString().contains("could not read it: torn"), seen.toString());
    assertTrue(seen.refused().toString().contains("no root file system"), seen.toString());
  }

  @Test
  void aYardThatCannotLookIsSaidAndOurOwnReadersCount() throws IOException {
    doThrow(new SiteException(SiteException.Kind.FINAL, "refit-failed", "the yard is old", null))
        .when(away.compute)
        .look(any(), any(), any(), any(), any());
    String unjudged = looked().unjudged().toString();
    assertTrue(unjudged.contains("xfs is not read here"), unjudged);
    assertTrue(unjudged.contains("the yard is old"), unjudged);
    doThrow(AWAY).when(away.compute).look(any(), any(), any(), any(), any());
    assertThrows(SiteException.class, this::looked, "what may pass is asked again");
  }

  @Test
  void aYardThatWritesNonsenseIsSaidAndNotAskedAgain() throws IOException {
    yardCopies("0\t7\t0\t\txfs\tab\t\t1\t1\n");
    String unjudged = looked().unjudged().toString();
    assertTrue(unjudged.contains("xfs is not read here"), unjudged);
    assertTrue(unjudged.contains("the yard told of a disk that is not there"), unjudged);
  }

  @Test
  void aSiteWithoutAYardNamesWhatItDoesNotRead() {
    when(away.compute.looks()).thenReturn(false);
    assertTrue(looked().unjudged().toString().contains("xfs is not read here"));
    verify(away.compute, never()).look(any(), any(), any(), any(), any());
  }

  @Test
  void yardsArePreparedAsTheLastLookTellsAndDroppedUsedOrNot() throws IOException {
    yardCopies("0\t0\t0\t\txfs\tab\t\t1048576\t99\n");
    Refits refits = new Refits(services, moves, landing);
    refits.prepare(work(), Side.AWAY);
    verify(away.compute, never()).prepareYard(any(), any());
    looked();
    db.run(
        s -> {
          MemberEntity m = s.find(MemberEntity.class, "mem");
          m.refitPlan = m.refitPlan.replaceAll("\"needed\": ?false", "\"needed\":true");
        });
    doThrow(AWAY).when(away.compute).prepareYard(eq("bl-run-refit-ledger"), any());
    assertTrue(refits.prepare(work(), Side.AWAY).toString().contains("the site is away"));
    String owner = "bargelane/in-test/tow";
    verify(away.compute).prepareYard("bl-run-refit-ledger", owner);
    verify(away.compute).prepareYard(COPIED, owner);
    assertEquals(2, recorded().stream().filter(r -> r.contains("machine")).count());
    when(away.target.owned(any())).thenReturn(List.of(new Owned("machine", "y-1", COPIED, owner)));
    looked();
    // It is given its work, and gone after it.
    InOrder order = inOrder(away.compute);
    order.verify(away.compute).look(any(), any(), any(), any(), any());
    order.verify(away.compute).look(any(), any(), any(), any(), any());
    order.verify(away.compute).remove("y-1");
    verify(away.compute, times(1)).remove("y-1");
    refits.dropYards(work(), Side.AWAY);
    assertTrue(recorded().stream().noneMatch(r -> r.contains("machine")), recorded().toString());
  }

  /** The service died while a yard had the volume. */
  @Test
  void aLookThatWasCutShortIsClearedInOrderAndBegunAgain() throws IOException {
    yardCopies("0\t0\t0\t\txfs\tab\t\t1048576\t99\n");
    leftBehind();
    assertEquals("Tidewater OS 4", looked().os());
    InOrder order = inOrder(away.target, away.compute);
    order.verify(away.compute).remove("y-1");
    order.verify(away.target).deleteVolume(COPIED);
    order.verify(away.target).createVolume(eq(COPIED), any(), anyLong(), eq("shelf"), any());
    order.verify(away.compute).look(any(), any(), any(), any(), any());
    assertTrue(recorded().stream().noneMatch(r -> r.contains("look")), recorded().toString());
  }

  private void leftBehind() {
    services.ledger().plan("away", "tow", "machine", COPIED);
    services.ledger().plan("away", "tow", "volume", COPIED);
    yardIsThere = true;
    when(away.target.owned(any()))
        .thenAnswer(
            x ->
                yardIsThere
                    ? List.of(new Owned("machine", "y-1", COPIED, x.getArgument(0)))
                    : List.of());
    doAnswer(x -> yardIsThere = false).when(away.compute).remove("y-1");
    doAnswer(
            x -> {
              if (yardIsThere) {
                throw new SiteException(SiteException.Kind.FINAL, "in-use", "the yard's", null);
              }
              return null;
            })
        .when(away.target)
        .deleteVolume(COPIED);
  }
}
