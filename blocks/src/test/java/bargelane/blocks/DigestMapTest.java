package bargelane.blocks;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.ByteBuffer;
import java.util.Arrays;
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
