package bargelane.blocks.pass;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.BlockDevice.NoSpaceException;
import bargelane.blocks.BlockDigest;
import bargelane.blocks.CachedDevice;
import bargelane.blocks.DigestVolume;
import bargelane.blocks.MemoryDevice;
import bargelane.blocks.Ranges;
import bargelane.blocks.SparseDevice;
import java.io.IOException;
import java.util.Arrays;
import java.util.Optional;
import java.util.Random;
import java.util.concurrent.CountDownLatch;
import org.junit.jupiter.api.Test;

class PassEngineTest {

  private static final int BLOCK = BlockDigest.BLOCK;
  private static final int SIZE = 64 * BLOCK;

  private final MemoryDevice source = new MemoryDevice(SIZE);
  private final MemoryDevice replica = new MemoryDevice(SIZE);
  private final SparseDevice digests = new SparseDevice(DigestVolume.bytesFor(SIZE));
  private final PassEngine engine = new PassEngine(2, PassEngine.CHUNK);

  /** Remembers what a pass said. */
  private static final class Heard implements PassWatcher {
    Ranges intent = new Ranges();
    PassProgress last = new PassProgress(0, 0, 0, 0, 0, 0);

    @Override
    public void intent(Ranges ranges, boolean everywhere) {
      intent = ranges;
    }

    @Override
    public synchronized void progress(PassProgress progress) {
      last = progress;
    }
  }

  private void fill(int block, int seed) {
    byte[] bytes = new byte[BLOCK];
    new Random(seed).nextBytes(bytes);
    System.arraycopy(bytes, 0, source.bytes, block * BLOCK, BLOCK);
  }

  private PassResult run(DiskPass pass) throws IOException {
    return engine.run(() -> source, () -> replica, () -> digests, pass, new Heard());
  }

  private static DiskPass pass(PassKind kind, Ranges mayDiffer) {
    return new DiskPass(kind, mayDiffer, false, 0, true);
  }

  private DigestVolume known() throws IOException {
    return DigestVolume.open(digests);
  }

  @Test
  void aDiskThatIsKnownAndUnchangedIsNotConnectedToTheTarget() throws IOException {
    fill(3, 1);
    String root = run(DiskPass.full()).root();
    source.changed = Optional.of(new Ranges());
    PassResult none = delta(new Ranges(), new DiskPass.Known(root, SIZE));
    assertEquals(root, none.root());
    assertEquals(0, none.progress().total());
    assertEquals(SIZE, none.progress().watermark());
    // Where anything may differ, or the digests are of another size, they are opened.
    assertThrows(
        AssertionError.class, () -> delta(Ranges.of(0, 1), new DiskPass.Known(root, SIZE)));
    assertThrows(
        AssertionError.class, () -> delta(new Ranges(), new DiskPass.Known(root, SIZE - 1)));
    source.changed = Optional.of(Ranges.of(BLOCK, 2 * BLOCK));
    assertThrows(AssertionError.class, () -> delta(new Ranges(), new DiskPass.Known(root, SIZE)));
  }

  private PassResult delta(Ranges mayDiffer, DiskPass.Known known) throws IOException {
    Opener never =
        () -> {
          throw new AssertionError("the target is opened");
        };
    return engine.run(
        () -> source,
        never,
        never,
        new DiskPass(PassKind.DELTA, mayDiffer, false, 0, true, Optional.of(known)),
        new Heard());
  }

  /** Nothing is to be flushed, however long it takes or ends: there is no target. */
  @Test
  void aTallyThatFailsSaysWhyAndOpensNoTarget() throws IOException {
    fill(3, 1);
    fill(40, 2);
    run(DiskPass.full());
    source.failsReadAfter = source.bytesRead;
    IOException told =
        assertThrows(
            IOException.class,
            () ->
                engine.run(
                    () -> source,
                    () -> {
                      throw new AssertionError("the target is opened");
                    },
                    () -> digests,
                    new DiskPass(PassKind.TALLY, new Ranges(), false, 0, false),
                    new Heard()));
    assertEquals("cut", told.getMessage());
    assertEquals(0, told.getSuppressed().length);
  }

  @Test
  void aFullPassNeitherReadsNorSendsHoles() throws IOException {
    fill(3, 1);
    fill(40, 2);
    PassResult result = run(DiskPass.full());
    assertArrayEquals(source.bytes, replica.bytes);
    assertEquals(2L * BLOCK, source.bytesRead);
    assertEquals(2L * BLOCK, result.progress().sent());
    assertFalse(known().isZero(3));
    assertTrue(known().isZero(4));
    assertEquals(DigestVolume.root(digests, SIZE), result.root());
  }

  @Test
  void aDeltaMovesOnlyWhatWasTracked() throws IOException {
    for (int i = 0; i < 64; i++) {
      fill(i, i);
    }
    run(DiskPass.full());
    fill(10, 100);
    fill(11, 101);
    source.changed = Optional.of(Ranges.of(10 * BLOCK, 12 * BLOCK));
    PassResult second = run(pass(PassKind.DELTA, new Ranges()));
    assertEquals(2L * BLOCK, second.progress().sent());
    assertArrayEquals(source.bytes, replica.bytes);
  }

  @Test
  void aBlockThatBecameZeroIsZeroedWithoutBeingSent() throws IOException {
    fill(5, 1);
    run(DiskPass.full());
    source.writeZeroes(5L * BLOCK, BLOCK);
    source.changed = Optional.of(Ranges.of(5L * BLOCK, 6L * BLOCK));
    PassResult second = run(pass(PassKind.DELTA, new Ranges()));
    assertEquals(0, second.progress().sent());
    assertEquals(BLOCK, second.progress().zeroed());
    assertArrayEquals(source.bytes, replica.bytes);
  }

  @Test
  void aBlockWrittenByADeadPassAndPutBackAtTheSourceIsShippedAgain() throws IOException {
    fill(7, 1);
    String point = run(DiskPass.full()).root();
    byte[] before = source.bytes.clone();
    fill(7, 2);
    source.changed = Optional.of(Ranges.of(7L * BLOCK, 8L * BLOCK));
    Heard dead = new Heard();
    engine.run(
        () -> source, () -> replica, () -> digests, pass(PassKind.DELTA, new Ranges()), dead);
    // The pass dies before its point; the guest puts the old bytes back; tracking is lost.
    System.arraycopy(before, 0, source.bytes, 0, SIZE);
    source.changed = Optional.empty();
    PassResult compare = run(pass(PassKind.COMPARE, dead.intent));
    assertArrayEquals(source.bytes, replica.bytes);
    assertEquals(BLOCK, compare.progress().sent());
    assertEquals(point, compare.root());
  }

  @Test
  void aCompareByDigestsDoesNotReadTheReplica() throws IOException {
    for (int i = 0; i < 64; i++) {
      fill(i, i);
    }
    run(DiskPass.full());
    fill(9, 99);
    replica.bytesRead = 0;
    run(pass(PassKind.COMPARE, new Ranges()));
    assertArrayEquals(source.bytes, replica.bytes);
    assertEquals(BLOCK, replica.bytesRead, "only the read-back of what was sent");
  }

  @Test
  void aCompareWithoutDigestsShipsOnlyWhatDiffers() throws IOException {
    for (int i = 0; i < 32; i++) {
      fill(i, i);
    }
    run(DiskPass.full());
    fill(9, 99);
    source.writeZeroes(12L * BLOCK, BLOCK);
    PassResult result = run(new DiskPass(PassKind.COMPARE, new Ranges(), true, 0, true));
    assertArrayEquals(source.bytes, replica.bytes);
    assertEquals(BLOCK, result.progress().sent());
    assertEquals(BLOCK, result.progress().zeroed());
  }

  @Test
  void anInterruptedFullPassGoesOnAfterItsWatermarkWithTheSameDigests() throws IOException {
    for (int i = 0; i < 64; i++) {
      fill(i, i);
    }
    String whole = run(DiskPass.full()).root();
    Arrays.fill(replica.bytes, (byte) 0);
    digests.writeZeroes(4096, digests.size() - 4096);
    PassEngine single = new PassEngine(1);
    Heard heard = new Heard();
    replica.bytesWritten = 0;
    replica.failAfter = 33L * BLOCK;
    assertThrows(
        NoSpaceException.class,
        () -> single.run(() -> source, () -> replica, () -> digests, DiskPass.full(), heard));
    replica.failAfter = Long.MAX_VALUE;
    long from = heard.last.watermark();
    assertTrue(from >= PassEngine.CHUNK);
    PassResult rest =
        single.run(
            () -> source,
            () -> replica,
            () -> digests,
            new DiskPass(PassKind.FULL, new Ranges(), false, from, true),
            new Heard());
    assertEquals(SIZE - from, rest.progress().sent());
    assertEquals(whole, rest.root());
    assertArrayEquals(source.bytes, replica.bytes);
  }

  @Test
  void aWatermarkIsOnlyWhatSurvivesADiskServerThatDies() throws IOException {
    for (int i = 0; i < 64; i++) {
      fill(i, i);
    }
    CachedDevice server = new CachedDevice(replica);
    server.meet = new CountDownLatch(2);
    PassWatcher checks =
        new PassWatcher() {
          @Override
          public void intent(Ranges ranges, boolean anywhere) {}

          @Override
          public void progress(PassProgress p) {
            int below = (int) p.watermark();
            assertTrue(
                Arrays.equals(source.bytes, 0, below, replica.bytes, 0, below),
                "told " + below + " bytes as done for good");
          }
        };
    PassResult result =
        engine.run(() -> source, server::open, () -> digests, DiskPass.full(), checks);
    server.kill();
    assertEquals(SIZE, result.progress().watermark());
    assertArrayEquals(source.bytes, replica.bytes);
    assertTrue(server.flushes() >= 2, "each handle's writes are flushed by that handle");
  }

  @Test
  void aPassThatGoesOnAfterItsDiskServerDiedShipsAgainWhatThatOneLost() throws IOException {
    for (int i = 0; i < 64; i++) {
      fill(i, i);
    }
    CachedDevice server = new CachedDevice(replica);
    Heard heard = new Heard();
    // The source is cut after some chunks, and the target dies with it.
    source.failsReadAfter = 20L * BLOCK;
    assertThrows(
        IOException.class,
        () ->
            new PassEngine(3, PassEngine.CHUNK)
                .run(() -> source, server::open, () -> digests, DiskPass.full(), heard));
    source.failsReadAfter = Long.MAX_VALUE;
    server.kill();
    long from = heard.last.watermark();
    engine.run(
        () -> source,
        server::open,
        () -> digests,
        new DiskPass(PassKind.FULL, new Ranges(), false, from, true),
        new Heard());
    server.kill();
    assertArrayEquals(source.bytes, replica.bytes);
  }

  @Test
  void aFlushThatFailedIsNotTriedAgainAndTellsNothingAsDone() {
    for (int i = 0; i < 64; i++) {
      fill(i, i);
    }
    CachedDevice server = new CachedDevice(replica);
    server.failsFlush = 1;
    Heard heard = new Heard();
    assertThrows(
        IOException.class,
        () -> engine.run(() -> source, server::open, () -> digests, DiskPass.full(), heard));
    assertEquals(1, server.flushes());
    assertEquals(0, heard.last.watermark());
  }

  @Test
  void whatTheTargetLosesIsNoticedByReadingBack() {
    fill(2, 1);
    replica.forgets = 2L * BLOCK + 5;
    assertThrows(VerifyException.class, () -> run(DiskPass.full()));
  }

  @Test
  void aTargetThatTellsDigestsIsNotReadBack() throws IOException {
    replica.tellsDigests = true;
    for (int i = 0; i < 40; i++) {
      fill(i, i);
    }
    PassResult full = run(DiskPass.full());
    assertFalse(full.readBack());
    assertEquals(40, replica.digestsTold, "each block that was written");
    fill(9, 99);
    source.writeZeroes(12L * BLOCK, BLOCK);
    PassResult deep = run(new DiskPass(PassKind.COMPARE, new Ranges(), true, 0, true));
    assertEquals(BLOCK, deep.progress().sent());
    assertEquals(BLOCK, deep.progress().zeroed());
    assertArrayEquals(source.bytes, replica.bytes);
    assertEquals(0, replica.bytesRead, "nothing of it crossed");
    replica.forgets = 9L * BLOCK + 5;
    fill(9, 100);
    assertThrows(VerifyException.class, () -> run(pass(PassKind.COMPARE, new Ranges())));
    replica.tellsDigests = false;
    replica.forgets = -1;
    assertTrue(run(new DiskPass(PassKind.COMPARE, new Ranges(), true, 0, true)).readBack());
    assertArrayEquals(source.bytes, replica.bytes);
  }

  @Test
  void aTallyOfADiskThatTellsDigestsReadsNothingOfIt() throws IOException {
    fill(1, 1);
    fill(2, 2);
    run(DiskPass.full());
    DiskPass tally = new DiskPass(PassKind.TALLY, new Ranges(), false, 0, false);
    source.tellsDigests = true;
    source.bytesRead = 0;
    assertTrue(run(tally).differed().isEmpty());
    source.bytes[2 * BLOCK + 77] ^= 1;
    assertEquals(Ranges.of(2L * BLOCK, 3L * BLOCK), run(tally).differed());
    assertEquals(0, source.bytesRead);
  }

  @Test
  void whatIsLostBehindAFlushIsNoticed() {
    for (int i = 0; i < 64; i++) {
      fill(i, i);
    }
    CachedDevice server = new CachedDevice(replica);
    // The cache has the right bytes until it is flushed; the medium loses one of them.
    replica.forgets = 40L * BLOCK + 9;
    assertThrows(
        VerifyException.class,
        () -> engine.run(() -> source, server::open, () -> digests, DiskPass.full(), new Heard()));
  }

  @Test
  void theIntentIsToldBeforeTheFirstWrite() {
    fill(2, 1);
    PassWatcher refuses =
        new PassWatcher() {
          @Override
          public void intent(Ranges ranges, boolean anywhere) throws IOException {
            throw new IOException("not stored");
          }

          @Override
          public void progress(PassProgress progress) {}
        };
    assertThrows(
        IOException.class,
        () -> engine.run(() -> source, () -> replica, () -> digests, DiskPass.full(), refuses));
    assertEquals(0, replica.bytesWritten);
  }

  @Test
  void aTallyTellsWhatDiffersAndWritesNothing() throws IOException {
    fill(1, 1);
    fill(2, 2);
    run(DiskPass.full());
    replica.bytesWritten = 0;
    fill(2, 22);
    source.writeZeroes(BLOCK, BLOCK);
    PassResult tally = run(new DiskPass(PassKind.TALLY, new Ranges(), false, 0, false));
    assertEquals(Ranges.of(BLOCK, 3L * BLOCK), tally.differed());
    assertEquals(0, replica.bytesWritten);
  }

  @Test
  void aDiskThatShrankIsRefused() throws IOException {
    DigestVolume larger = known();
    larger.setZero(0);
    larger.finish(SIZE + BLOCK, () -> {});
    source.changed = Optional.of(new Ranges());
    IOException refused =
        assertThrows(IOException.class, () -> run(pass(PassKind.DELTA, new Ranges())));
    assertTrue(refused.getMessage().contains("shrunk"), refused.getMessage());
    assertEquals(0, replica.bytesWritten);
  }

  @Test
  void digestsThatAreNoneAreMadeAnewByAPassThatTrustsNone() throws IOException {
    fill(3, 1);
    run(DiskPass.full());
    digests.write(0, java.nio.ByteBuffer.wrap(new byte[] {1, 2, 3}));
    source.changed = Optional.of(new Ranges());
    assertThrows(
        DigestVolume.MalformedException.class, () -> run(pass(PassKind.DELTA, new Ranges())));
    PassResult deep = run(new DiskPass(PassKind.DELTA, new Ranges(), true, 0, true));
    assertEquals(0, deep.progress().sent());
    assertEquals(deep.root(), DigestVolume.root(digests, SIZE));
    DiskPass tally = new DiskPass(PassKind.TALLY, new Ranges(), false, 0, false);
    assertTrue(run(tally).differed().isEmpty());
  }

  @Test
  void aTallyAgainstDigestsThatWereNeverFinishedIsRefused() {
    fill(1, 1);
    assertThrows(
        IOException.class, () -> run(new DiskPass(PassKind.TALLY, new Ranges(), false, 0, false)));
  }

  @Test
  void digestsThatADeadPassLeftAreNotTrustedWhereItMayHaveWritten() throws IOException {
    fill(7, 1);
    fill(20, 1);
    run(DiskPass.full());
    fill(7, 2);
    source.changed = Optional.of(Ranges.of(7L * BLOCK, 8L * BLOCK));
    // The digest reached its volume, the block did not reach the replica.
    byte[] lost = Arrays.copyOfRange(source.bytes, 7 * BLOCK, 8 * BLOCK);
    DigestVolume written = known();
    written.set(7, written.by().of(java.nio.ByteBuffer.wrap(lost))[0]);
    written.finish(SIZE, () -> {});
    PassResult next = run(pass(PassKind.DELTA, Ranges.of(7L * BLOCK, 8L * BLOCK)));
    assertEquals(BLOCK, next.progress().sent());
    assertArrayEquals(source.bytes, replica.bytes);
  }
}
