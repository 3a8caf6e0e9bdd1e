package bargelane.service.move;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyBoolean;
import static org.mockito.ArgumentMatchers.anyLong;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.doAnswer;
import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.inOrder;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.api.RefitView;
import bargelane.blocks.BlockDevice;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory.DeviceFamily;
import bargelane.service.platform.Json;
import bargelane.service.platform.TestDisks;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.Side;
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
    yardCopies("0\t0\t0\t\txfs\tab\t\n");
    RefitView seen = looked();
    assertEquals("Tidewater OS 4", seen.os());
    assertTrue(seen.refused().toString().contains("no loader configuration"), seen.toString());
    verify(away.compute)
        .look(COPIED, "bargelane/in-test/tow", List.of(CLONE), List.of("0/0"), COPIED);
    assertTrue(recorded().stream().noneMatch(r -> r.contains("look")), recorded().toString());
  }

  @Test
  void whatTheYardCouldNotReadIsSaid() throws IOException {
    yardCopies("0\t0\t0\t\txfs\t\tthe yard could not read it: torn\n");
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
  void aSiteWithoutAYardNamesWhatItDoesNotRead() {
    when(away.compute.looks()).thenReturn(false);
    assertTrue(looked().unjudged().toString().contains("xfs is not read here"));
    verify(away.compute, never()).look(any(), any(), any(), any(), any());
  }

  /** The service died while a yard had the volume. */
  @Test
  void aLookThatWasCutShortIsClearedInOrderAndBegunAgain() throws IOException {
    yardCopies("0\t0\t0\t\txfs\tab\t\n");
    leftBehind();
    assertEquals("Tidewater OS 4", looked().os());
    InOrder order = inOrder(away.target, away.compute);
    order.verify(away.compute).remove("y-1");
    order.verify(away.target).deleteVolume(COPIED);
    order.verify(away.target).createVolume(eq(COPIED), any(), anyLong(), eq("shelf"));
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
