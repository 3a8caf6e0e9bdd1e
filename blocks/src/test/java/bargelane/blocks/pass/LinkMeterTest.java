package bargelane.blocks.pass;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.MemoryDevice;
import java.io.IOException;
import java.time.Duration;
import java.util.Arrays;
import java.util.List;
import org.junit.jupiter.api.Test;

/** What a way between two disks carries. */
class LinkMeterTest {

  private static final int SIZE = 4 * LinkMeter.SMALL;

  private final MemoryDevice from = new MemoryDevice(SIZE + 1000);
  private final MemoryDevice to = new MemoryDevice(SIZE + 1000);

  @Test
  void whatIsCopiedIsThereAndCounted() throws IOException {
    long bytes = LinkMeter.fill(from, Duration.ofMinutes(1));
    assertEquals(SIZE, bytes, "whole chunks");
    assertFalse(
        Arrays.equals(from.bytes, 0, 1000, from.bytes, LinkMeter.SMALL, LinkMeter.SMALL + 1000));
    LinkMeter.Moved moved =
        LinkMeter.copy(
            List.of(from, from), List.of(to, to), bytes, Duration.ofMillis(50), LinkMeter.SMALL);
    assertTrue(moved.bytes() >= 2L * LinkMeter.REQUESTS * LinkMeter.SMALL, moved.toString());
    assertEquals(to.bytesWritten, moved.bytes(), "what was copied again counts, too");
    assertTrue(moved.time().toMillis() >= 50, moved.toString());
    assertArrayEquals(from.bytes, to.bytes);
  }

  /** On a link that is slower than a chunk in the whole time, each request counts all the same. */
  @Test
  void oneChunkIsCopiedHoweverLittleTimeThereIs() throws IOException {
    long bytes = LinkMeter.fill(from, Duration.ZERO);
    assertEquals(LinkMeter.SMALL, bytes);
    LinkMeter.Moved moved =
        LinkMeter.copy(List.of(from), List.of(to), bytes, Duration.ZERO, LinkMeter.SMALL);
    assertEquals((long) LinkMeter.REQUESTS * LinkMeter.SMALL, moved.bytes());
    assertEquals(1000, new LinkMeter.Moved(500, Duration.ofMillis(500)).rate());
  }

  @Test
  void aFastLinkIsMeasuredWithRequestsAsLargeAsThoseOfAPass() throws IOException {
    LinkMeter.Moved fast = new LinkMeter.Moved(16L << 20, Duration.ofSeconds(1));
    LinkMeter.Moved slow = new LinkMeter.Moved(15L << 20, Duration.ofSeconds(1));
    assertEquals(LinkMeter.LARGE, fast.chunk(SIZE));
    assertEquals(LinkMeter.SMALL, slow.chunk(SIZE));
    assertEquals(LinkMeter.SMALL, fast.chunk(LinkMeter.SMALL), "it is no whole large one");
    long bytes = LinkMeter.fill(from, Duration.ofMinutes(1));
    LinkMeter.copy(List.of(from), List.of(to), bytes, Duration.ZERO, LinkMeter.LARGE);
    assertArrayEquals(from.bytes, to.bytes);
  }

  @Test
  void aCopyThatBreaksOffIsNoMeasurement() throws IOException {
    long bytes = LinkMeter.fill(from, Duration.ofMinutes(1));
    to.failAfter = LinkMeter.SMALL;
    assertThrows(
        IOException.class,
        () ->
            LinkMeter.copy(
                List.of(from), List.of(to), bytes, Duration.ofMinutes(1), LinkMeter.SMALL));
  }

  @Test
  void anAnswerTakesSomeTime() throws IOException {
    assertTrue(LinkMeter.delay(from).toNanos() > 0);
  }
}
