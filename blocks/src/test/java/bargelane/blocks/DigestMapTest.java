package bargelane.blocks;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNotEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.HashMap;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.Test;

class DigestMapTest {

  @Test
  void theStoredFormIsReadBack() {
    DigestMap map = new DigestMap(200_000);
    map.set(1, DigestMap.digest(ByteBuffer.wrap(new byte[] {1})));
    DigestMap back = DigestMap.parse(map.bytes());
    assertEquals(map.root(), back.root());
    assertTrue(back.isZero(3), "the short last block is all zeroes");
    assertEquals(200_000 - 3 * DigestMap.BLOCK, back.blockLength(3));
  }

  private static byte[] some(Random random) {
    byte[] digest = new byte[32];
    random.nextBytes(digest);
    return digest;
  }

  @Test
  void anyMapIsReadBackAsItWas() {
    Random random = new Random(4);
    for (int i = 0; i < 50; i++) {
      long size = 1 + (long) (random.nextDouble() * (3L * DigestMap.PAGE * DigestMap.BLOCK));
      DigestMap map = new DigestMap(size);
      Map<Integer, byte[]> set = new HashMap<>();
      // From a few blocks to whole pages.
      int blocks = i % 3 == 0 ? map.blocks() : random.nextInt(Math.min(map.blocks(), 2000) + 1);
      for (int n = 0; n < blocks; n++) {
        int block = i % 3 == 0 ? n : random.nextInt(map.blocks());
        set.put(block, some(random));
        map.set(block, set.get(block));
        if (random.nextInt(10) == 0) {
          set.remove(block);
          map.setZero(block);
        }
      }
      DigestMap back = DigestMap.parse(map.bytes());
      assertEquals(map.root(), back.root());
      for (int block = 0; block < map.blocks(); block++) {
        assertEquals(!set.containsKey(block), back.isZero(block));
        assertTrue(!set.containsKey(block) || back.holds(block, set.get(block)));
      }
      assertArrayEquals(map.bytes(), back.bytes());
    }
  }

  @Test
  void aMapGrowsWithTheDataAndNotWithTheDisk() {
    long size = 64L << 40;
    DigestMap map = new DigestMap(size);
    Random random = new Random(5);
    for (int i = 0; i < 1000; i++) {
      map.set(random.nextInt(map.blocks()), some(random));
    }
    assertTrue(map.bytes().length < 50_000, map.bytes().length + " bytes for 1,000 blocks");
    assertEquals(map.root(), DigestMap.parse(map.bytes()).root());
    assertNotEquals(map.root(), new DigestMap(size).root());
  }

  @Test
  void theMapOfTheVersionBeforeIsRead() {
    DigestMap map = new DigestMap(200_000);
    byte[] digest = some(new Random(6));
    map.set(2, digest);
    ByteBuffer former = ByteBuffer.allocate(200);
    former.put("format: bargelane/digests/1\nsize: 200000\n\n".getBytes(StandardCharsets.US_ASCII));
    for (int block = 0; block < 4; block++) {
      former.put(
          block == 2 ? digest : DigestMap.digest(ByteBuffer.allocate(map.blockLength(block))));
    }
    byte[] bytes = Arrays.copyOf(former.array(), former.position());
    DigestMap read = DigestMap.parse(bytes);
    assertTrue(read.isZero(0) && read.isZero(3) && read.holds(2, digest));
    assertEquals(map.root(), read.root());
  }

  /** Of every cut, and with every byte changed: it is refused, or read as another map. */
  @Test
  void noNonsenseIsReadAsTheSameMap() {
    DigestMap map = new DigestMap(5000L * DigestMap.BLOCK);
    Random random = new Random(7);
    map.set(17, some(random));
    map.set(4999, some(random));
    byte[] good = map.bytes();
    for (int cut = 0; cut < good.length; cut++) {
      byte[] bytes = Arrays.copyOf(good, cut);
      assertThrows(IllegalArgumentException.class, () -> DigestMap.parse(bytes), "cut at " + cut);
    }
    for (int at = 0; at < good.length; at++) {
      byte[] bytes = good.clone();
      bytes[at] ^= (byte) (1 + random.nextInt(255));
      try {
        assertNotEquals(map.root(), DigestMap.parse(bytes).root(), "changed at " + at);
      } catch (IllegalArgumentException e) {
        assertTrue(e.getMessage().contains("digest map"), e.getMessage());
      }
    }
  }

  @Test
  void cutOrForeignFilesAreRefused() {
    byte[] good = new DigestMap(200_000).bytes();
    assertThrows(
        IllegalArgumentException.class,
        () -> DigestMap.parse(Arrays.copyOf(good, good.length - 1)));
    assertThrows(IllegalArgumentException.class, () -> DigestMap.parse(new byte[10]));
    assertThrows(
        IllegalArgumentException.class,
        () ->
            DigestMap.parse(
                "format: bargelane/digests/1\nsize: 99999999999999999\n\n"
                    .getBytes(java.nio.charset.StandardCharsets.US_ASCII)));
  }
}
