package bargelane.blocks;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.BitSet;
import java.util.Random;
import org.junit.jupiter.api.Test;

class RangesTest {

  @Test
  void agreesWithABitSetWhateverIsAdded() {
    Random random = new Random(7);
    for (int round = 0; round < 200; round++) {
      Ranges ranges = new Ranges();
      BitSet bits = new BitSet();
      for (int i = 0; i < 40; i++) {
        int from = random.nextInt(500);
        int to = from + random.nextInt(30);
        ranges.add(from, to);
        bits.set(from, to);
      }
      assertEquals(bits.cardinality(), ranges.bytes());
      int from = random.nextInt(500);
      int to = from + 1 + random.nextInt(20);
      assertEquals(!bits.get(from, to).isEmpty(), ranges.touches(from, to));
      assertEquals(ranges, Ranges.parse(ranges.text()));
    }
  }

  @Test
  void joinsNeighbours() {
    Ranges ranges = Ranges.of(0, 10);
    ranges.add(10, 20);
    assertEquals("0+20", ranges.text());
    assertFalse(ranges.touches(20, 21));
  }

  @Test
  void alignsOutwardsAndClips() {
    assertEquals("64+36", Ranges.of(70, 80).aligned(64, 100).text());
  }

  @Test
  void nonsenseIsRefusedAndNamed() {
    for (String bad : new String[] {"x", "1", "-1+3", "1+0", "1+2,", "9223372036854775807+5"}) {
      assertTrue(
          assertThrows(IllegalArgumentException.class, () -> Ranges.parse(bad))
              .getMessage()
              .contains("range"));
    }
  }

  @Test
  void whatLiesInAPartIsWhatTouchesItByteForByte() {
    java.util.Random random = new java.util.Random(7);
    for (int round = 0; round < 200; round++) {
      Ranges ranges = new Ranges();
      for (int i = 0; i < 8; i++) {
        int start = random.nextInt(90);
        ranges.add(start, start + random.nextInt(10));
      }
      int from = random.nextInt(100);
      int to = from + 1 + random.nextInt(20);
      Ranges part = ranges.within(from, to);
      for (int at = 0; at < 130; at++) {
        boolean in = ranges.touches(at, at + 1);
        assertEquals(in && at >= from && at < to, part.touches(at, at + 1));
        assertEquals(in, ranges.covers(at, at + 1));
        long end = at;
        while (ranges.touches(end, end + 1)) {
          end++;
        }
        assertEquals(in ? end : -1, ranges.endOf(at).orElse(-1));
      }
      long next = from;
      while (next < 130 && !ranges.touches(next, next + 1)) {
        next++;
      }
      assertEquals(next == 130 ? -1 : next, ranges.next(from).orElse(-1));
      assertEquals(ranges.list().size(), ranges.count());
    }
  }
}
