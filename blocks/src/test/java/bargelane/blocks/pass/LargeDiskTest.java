package bargelane.blocks.pass;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.BlockDigest;
import bargelane.blocks.DigestVolume;
import bargelane.blocks.Ranges;
import bargelane.blocks.SparseDevice;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.Random;
import org.junit.jupiter.api.Test;

/** Passes over disks of 64 TiB and of many small ranges. */
class LargeDiskTest {

  private static final long SIZE = DigestVolume.LARGEST - 4096;
  private static final int BLOCK = BlockDigest.BLOCK;

  private final SparseDevice source = new SparseDevice(SIZE);
  private final SparseDevice replica = new SparseDevice(SIZE);
  private final SparseDevice digests = new SparseDevice(DigestVolume.bytesFor(SIZE));
  private Ranges intent;

  private PassResult run(PassKind kind, Ranges mayDiffer, boolean anywhere) throws IOException {
    PassWatcher hears =
        new PassWatcher() {
          @Override
          public void intent(Ranges ranges, boolean everywhere) {
            intent = ranges;
          }

          @Override
          public void progress(PassProgress p) {
            assertTrue(p.done() <= p.total() && p.total() <= SIZE, p.toString());
          }
        };
    return new PassEngine(2)
        .run(
            () -> source,
            () -> replica,
            () -> digests,
            new DiskPass(kind, mayDiffer, anywhere, 0, true),
            hears);
  }

  private void fill(long block, long seed) {
    byte[] bytes = new byte[(int) Math.min(BLOCK, SIZE - block * BLOCK)];
    new Random(seed).nextBytes(bytes);
    source.write(block * BLOCK, ByteBuffer.wrap(bytes));
  }

  @Test
  void aDiskOf64TiBIsPassedByWhatItHolds() throws IOException {
    long step = SIZE / BLOCK / 300;
    for (int i = 0; i < 300; i++) {
      fill(i * step, i);
    }
    fill(SIZE / BLOCK, 1000);
    PassResult full = run(PassKind.FULL, new Ranges(), false);
    assertTrue(replica.sameAs(source));
    assertEquals(300L * BLOCK + BLOCK - 4096, full.progress().sent());

    fill(5 * step, 5000);
    source.changed = Ranges.of(5 * step * BLOCK, 5 * step * BLOCK + 1);
    source.bytesRead = 0;
    PassResult delta = run(PassKind.DELTA, new Ranges(), false);
    assertTrue(replica.sameAs(source));
    assertEquals(BLOCK, source.bytesRead);
    assertEquals(BLOCK, delta.progress().sent());

    fill(9 * step, 9000);
    replica.bytesRead = 0;
    PassResult compare = run(PassKind.COMPARE, new Ranges(), false);
    assertTrue(replica.sameAs(source));
    assertEquals(BLOCK, compare.progress().sent());
    assertEquals(BLOCK, replica.bytesRead, "only what was sent is read back");

    // A deep one trusts no digest, and asks for no more of the target than holds data.
    replica.write(11 * step * BLOCK, ByteBuffer.wrap(new byte[] {42}));
    replica.write(12 * step * BLOCK + 5L * BLOCK, ByteBuffer.wrap(new byte[] {42}));
    PassResult deep = run(PassKind.COMPARE, new Ranges(), true);
    assertTrue(replica.sameAs(source));
    assertEquals(BLOCK, deep.progress().sent());
    assertEquals(BLOCK, deep.progress().zeroed());
    assertEquals(compare.root(), deep.root());
  }

  @Test
  void moreRangesThanAreKeptAreJoinedAndStillShippedExactly() throws IOException {
    int count = 2 * Candidates.MOST + 77;
    Ranges changed = new Ranges();
    for (int i = 0; i < count; i++) {
      long block = 3L * i;
      source.write(block * BLOCK, ByteBuffer.wrap(new byte[] {(byte) (1 + i % 100)}));
      changed.add(block * BLOCK, block * BLOCK + 512);
    }
    PassResult full = run(PassKind.FULL, new Ranges(), false);
    assertTrue(replica.sameAs(source));
    assertEquals((long) count * BLOCK, full.progress().sent());
    assertEquals((long) count * BLOCK, full.progress().total(), "what was joined is not looked at");
    assertTrue(intent.count() <= Candidates.MOST);
    assertTrue(full.differed().count() <= Candidates.MOST);

    for (int i = 0; i < count; i++) {
      source.write(3L * i * BLOCK, ByteBuffer.wrap(new byte[] {(byte) 120}));
    }
    source.changed = changed;
    source.bytesRead = 0;
    PassResult delta = run(PassKind.DELTA, new Ranges(), false);
    assertTrue(replica.sameAs(source));
    assertEquals((long) count * BLOCK, delta.progress().sent());
    assertEquals((long) count * BLOCK, source.bytesRead);
    for (Ranges.Range r : changed.list()) {
      assertTrue(intent.covers(r.start(), r.end()), "what may be written is all told");
    }
  }
}
