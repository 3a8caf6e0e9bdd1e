package bargelane.blocks;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertNotEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.util.HexFormat;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class DigestVolumeTest {

  private static final long GIB = 1L << 30;
  private static final long TIB = 1L << 40;

  private static SparseDevice device(long size) {
    return new SparseDevice(DigestVolume.bytesFor(size));
  }

  private static byte[] digest(long seed) {
    byte[] digest = new byte[BlockDigest.WIDTH];
    new Random(seed).nextBytes(digest);
    return digest;
  }

  private static ByteBuffer head(SparseDevice device) {
    ByteBuffer head = ByteBuffer.allocate(4096);
    device.read(0, head);
    return head.flip();
  }

  private static String finish(DigestVolume digests, long size) throws IOException {
    return digests.finish(size, () -> {});
  }

  @Test
  void aBlankDeviceDescribesABlankDisk() throws Exception {
    SparseDevice device = device(3 * GIB);
    DigestVolume digests = DigestVolume.open(device);
    assertEquals(0, digests.size());
    assertTrue(digests.isZero(0) && digests.isZero(3 * 16384 - 1));
    assertTrue(digests.isZero(0, 3 * GIB) && digests.isBlank(0, 3 * GIB));
    digests.setZero(5);
    String root = finish(digests, 3 * GIB);
    // SHA-256 over the size, the key and one group of zeroes.
    byte[] top = new byte[16 + 16];
    ByteBuffer.wrap(top).putLong(3 * GIB).putLong(digests.by().key());
    assertEquals(HexFormat.of().formatHex(MessageDigest.getInstance("SHA-256").digest(top)), root);
    assertEquals(root, DigestVolume.root(device, 3 * GIB));
    assertEquals(4096, device.held(), "only its head takes room");
  }

  @Test
  void theTreeIsTheOneThatItsFormatDescribes() throws Exception {
    SparseDevice device = device(8 * GIB);
    DigestVolume digests = DigestVolume.open(device);
    byte[] one = digest(1);
    digests.set(65536 + 258, one);
    String root = finish(digests, 8 * GIB);
    MessageDigest sha = MessageDigest.getInstance("SHA-256");
    byte[] leaf = new byte[4096];
    System.arraycopy(one, 0, leaf, 2 * 16, 16);
    byte[] branch = new byte[4096];
    System.arraycopy(sha.digest(leaf), 0, branch, 16, 16);
    byte[] top = new byte[16 + 2 * 16];
    ByteBuffer.wrap(top).putLong(8 * GIB).putLong(digests.by().key());
    System.arraycopy(sha.digest(branch), 0, top, 16 + 16, 16);
    assertEquals(HexFormat.of().formatHex(sha.digest(top)), root);
    ByteBuffer stored = ByteBuffer.allocate(4096);
    device.read(4096 + (256 << 10) + 257 * 4096 + 2 * 4096, stored);
    assertEquals(ByteBuffer.wrap(leaf), stored.flip());
  }

  @ParameterizedTest
  @ValueSource(longs = {1, 65_535, 65_537, GIB - 1, GIB + 1, 15 * TIB, 64 * TIB})
  void whatWasSetIsHeldWhateverTheSize(long size) throws IOException {
    SparseDevice device = device(size);
    DigestVolume digests = DigestVolume.open(device);
    long last = (size - 1) / BlockDigest.BLOCK;
    Random random = new Random(size);
    java.util.Map<Long, byte[]> model = new java.util.HashMap<>();
    // More units than are held in memory, so that some are written and read again.
    for (int i = 0; i < 3000; i++) {
      long block = (long) (random.nextDouble() * (last + 1));
      byte[] d = random.nextInt(5) == 0 ? new byte[16] : digest(i);
      digests.set(block, d);
      model.put(block, d);
    }
    digests.set(last, digest(-1));
    model.put(last, digest(-1));
    String root = finish(digests, size);
    DigestVolume read = DigestVolume.open(device);
    assertEquals(size, read.size());
    for (var e : model.entrySet()) {
      assertTrue(read.holds(e.getKey(), e.getValue()));
      assertEquals(BlockDigest.isZero(e.getValue()), read.isZero(e.getKey()));
    }
    assertEquals(root, DigestVolume.root(device, size));
    // The same content reached another way has the same root.
    SparseDevice other = device(size);
    other.write(0, head(device));
    DigestVolume again = DigestVolume.openUntrusted(other);
    model.keySet().stream()
        .sorted(java.util.Comparator.reverseOrder())
        .forEach(
            b -> {
              try {
                again.set(b, model.get(b));
              } catch (IOException e) {
                throw new java.io.UncheckedIOException(e);
              }
            });
    assertEquals(root, finish(again, size));
    assertTrue(device.held() < 3001L * 3 * 4096 + 8192, "grows with the data");
  }

  @Test
  void oneChangedBlockChangesTheRootAndBackAgain() throws IOException {
    SparseDevice device = device(TIB);
    DigestVolume digests = DigestVolume.open(device);
    digests.set(7_000_000, digest(1));
    String before = finish(digests, TIB);
    digests.set(7_000_000, digest(2));
    assertNotEquals(before, finish(digests, TIB));
    long span = 7_000_000 / 256 * DigestVolume.SPAN;
    long end = span + DigestVolume.SPAN;
    assertFalse(digests.isZero(0, TIB) || digests.isZero(span, end));
    assertTrue(digests.isZero(0, span) && digests.isZero(end, TIB));
    DigestVolume later = DigestVolume.open(device);
    later.set(7_000_000, digest(1));
    assertEquals(before, finish(later, TIB));
    later.setZero(7_000_000);
    finish(later, TIB);
    assertTrue(DigestVolume.open(device).isZero(0, TIB));
  }

  @Test
  void digestsThatAreNotFinishedOrNotOfTheDiskAreToldApart() throws IOException {
    SparseDevice device = device(GIB);
    assertThrows(IOException.class, () -> DigestVolume.root(device, GIB));
    DigestVolume digests = DigestVolume.open(device);
    digests.set(3, digest(3));
    finish(digests, GIB);
    IOException other =
        assertThrows(IOException.class, () -> DigestVolume.root(device, GIB + 4096));
    assertTrue(other.getMessage().contains("of a disk of " + GIB), other.getMessage());
    // A tug that dies while it finishes leaves a top that is not the one of the head.
    device.write(4096, ByteBuffer.wrap(digest(9)));
    IOException torn = assertThrows(IOException.class, () -> DigestVolume.root(device, GIB));
    assertTrue(torn.getMessage().contains("not whole"), torn.getMessage());
    device.write(0, ByteBuffer.wrap("format: something else\n".getBytes(StandardCharsets.UTF_8)));
    assertThrows(IOException.class, () -> DigestVolume.open(device));
    assertThrows(IOException.class, () -> DigestVolume.open(new SparseDevice(4096)));
    assertThrows(
        IllegalArgumentException.class, () -> DigestVolume.bytesFor(DigestVolume.LARGEST + 1));
  }

  @Test
  void aDiskThatGrewKeepsWhatIsKnownAndKnowsNothingOfItsFormerEnd() throws IOException {
    long size = GIB - 1000;
    SparseDevice device = device(size);
    DigestVolume digests = DigestVolume.open(device);
    digests.set(1, digest(1));
    finish(digests, size);
    SparseDevice grown = device(4 * GIB);
    DigestVolume.copy(device, grown, () -> {});
    DigestVolume larger = DigestVolume.open(grown);
    assertEquals(size, larger.size());
    assertTrue(larger.holds(1, digest(1)));
    assertTrue(larger.isZero(4 * 16384 - 1));
    // A volume that was not made larger holds nothing of what is behind its end.
    assertTrue(DigestVolume.open(device).isZero(4 * 16384 - 1));
  }

  @Test
  void theKeyIsToldBeforeAnyDigestThatIsMadeWithIt() throws IOException {
    SparseDevice device = device(15 * TIB);
    DigestVolume dies = DigestVolume.open(device);
    // So many that some have to be written.
    for (int i = 0; i < 1500; i++) {
      dies.set(i * 256L, digest(i));
    }
    DigestVolume next = DigestVolume.open(device);
    assertEquals(dies.by().key(), next.by().key());
    assertEquals(0, next.size());
    assertThrows(IOException.class, () -> DigestVolume.root(device, 15 * TIB));
    // One that trusts nothing takes the former root away before it writes.
    finish(next, 15 * TIB);
    DigestVolume anew = DigestVolume.openUntrusted(device);
    for (int i = 0; i < 1500; i++) {
      anew.set(i * 256L, digest(-i));
    }
    assertEquals(0, DigestVolume.open(device).size());
  }

  @Test
  void whatMayBeLeftOfOthersIsNotBlank() throws IOException {
    SparseDevice device = device(TIB);
    DigestVolume digests = DigestVolume.open(device);
    digests.set(100_000, digest(1));
    long span = 100_000 / 256 * DigestVolume.SPAN;
    assertFalse(digests.isBlank(span, span + DigestVolume.SPAN), "it waits to be written");
    finish(digests, TIB);
    digests.setZero(100_000);
    finish(digests, TIB);
    assertTrue(digests.isBlank(0, TIB));
    // A writer that died before the tree was right leaves a digest that nothing above it tells of.
    long leaf = 4096 + (256 << 10) + 257 * 4096 + (1 + 100_000 / 256 - 256) * 4096L;
    device.write(leaf, ByteBuffer.wrap(digest(2)));
    DigestVolume later = DigestVolume.openUntrusted(device);
    assertTrue(later.isZero(0, TIB));
    assertFalse(later.isBlank(0, TIB));
    assertFalse(later.isBlank(span, span + DigestVolume.SPAN));
  }

  @Test
  void aCopyIsTheSameDigestsAndNoMore() throws IOException {
    SparseDevice device = device(2 * TIB);
    DigestVolume digests = DigestVolume.open(device);
    for (int i = 0; i < 200; i++) {
      digests.set(i * 150_001L, digest(i));
    }
    String root = finish(digests, 2 * TIB);
    SparseDevice copy = device(2 * TIB);
    DigestVolume.copy(device, copy, () -> {});
    assertEquals(root, DigestVolume.root(copy, 2 * TIB));
    assertEquals(device.held(), copy.held());
  }
}
