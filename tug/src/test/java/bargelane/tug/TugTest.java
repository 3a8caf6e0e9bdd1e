package bargelane.tug;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyInt;
import static org.mockito.ArgumentMatchers.argThat;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.doAnswer;
import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.inOrder;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.timeout;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.api.Lease;
import bargelane.api.LeaseDisk;
import bargelane.api.LeaseFailed;
import bargelane.api.LeaseIntent;
import bargelane.api.LeaseOpened;
import bargelane.api.LeaseReport;
import bargelane.blocks.BlockDevice;
import bargelane.blocks.DigestVolume;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdServer;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Optional;
import java.util.Random;
import java.util.concurrent.Callable;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.mockito.InOrder;

/** A tug with real disks over NBD and a desk of the test's own. */
class TugTest {

  private static final int SIZE = 4 << 20;

  private final byte[] from = new byte[SIZE];
  private final byte[] to = new byte[SIZE];
  private final byte[] digests = new byte[(int) DigestVolume.bytesFor(SIZE)];
  private final LeaseDesk desk = mock(LeaseDesk.class);
  private Path dir;
  private NbdServer server;

  private static BlockDevice over(byte[] bytes, boolean full) {
    return over(bytes, full, () -> null);
  }

  private static BlockDevice over(byte[] bytes, boolean full, Callable<Void> beforeRead) {
    return new BlockDevice() {
      @Override
      public long size() {
        return bytes.length;
      }

      @Override
      public boolean readOnly() {
        return false;
      }

      @Override
      public void read(long offset, ByteBuffer into) throws IOException {
        try {
          beforeRead.call();
        } catch (Exception e) {
          throw new IOException(e);
        }
        into.put(bytes, (int) offset, into.remaining());
      }

      @Override
      public void write(long offset, ByteBuffer data) throws IOException {
        if (full) {
          throw new NoSpaceException("full");
        }
        data.get(bytes, (int) offset, data.remaining());
      }

      @Override
      public void writeZeroes(long offset, long length) throws IOException {
        write(offset, ByteBuffer.allocate((int) length));
      }

      @Override
      public void flush() {}

      @Override
      public boolean knows(Context context) {
        return false;
      }

      @Override
      public List<Extent> status(Context context, long offset, long length) throws IOException {
        throw new UnsupportedContextException(context);
      }

      @Override
      public void close() {}
    };
  }

  @BeforeEach
  void listen() throws IOException {
    dir = Files.createTempDirectory("tug");
    server = NbdServer.unix(dir.resolve("s"));
    new Random(1).nextBytes(from);
    server.offer("digests", over(digests, false));
  }

  @AfterEach
  void close() throws IOException {
    server.close();
    Files.delete(dir);
  }

  private Lease lease() throws IOException {
    String source = new NbdAddress.Unix(dir.resolve("s"), "from").uri();
    String target = new NbdAddress.Unix(dir.resolve("s"), "to").uri();
    String digests = new NbdAddress.Unix(dir.resolve("s"), "digests").uri();
    Lease lease =
        new Lease(
            "pass-1",
            3,
            6,
            "full",
            true,
            List.of(new LeaseDisk(0, "db", source, SIZE, "", false, 0, "")));
    when(desk.open(any(), any())).thenReturn(new LeaseOpened(target, digests));
    when(desk.take(any(), anyInt()))
        .thenReturn(Optional.of(lease))
        .thenAnswer(
            i -> {
              new CountDownLatch(1).await(200, TimeUnit.MILLISECONDS);
              return Optional.empty();
            });
    return lease;
  }

  /** A report goes out before anything of the next disk is read. */
  @Test
  void noDisksProgressIsToldAsAnothers() throws IOException {
    server.offer("from", over(from, false));
    server.offer("to", over(to, false));
    Lease one = lease();
    LeaseDisk first = one.disks().get(0);
    LeaseDisk second =
        new LeaseDisk(
            1, "db", new NbdAddress.Unix(dir.resolve("s"), "slow").uri(), SIZE, "", false, 0, "");
    when(desk.take(any(), anyInt()))
        .thenReturn(Optional.of(new Lease("pass-1", 3, 6, "full", true, List.of(first, second))))
        .thenReturn(Optional.empty());
    List<LeaseReport> told = Collections.synchronizedList(new ArrayList<>());
    CountDownLatch reported = new CountDownLatch(1);
    doAnswer(
            i -> {
              told.add(i.getArgument(1));
              if (told.get(told.size() - 1).disk() == 1) {
                reported.countDown();
              }
              return null;
            })
        .when(desk)
        .report(any(), any());
    server.offer(
        "slow",
        over(
            from,
            false,
            () -> {
              assertTrue(reported.await(20, TimeUnit.SECONDS));
              return null;
            }));
    try (Tug tug = new Tug("t", desk, 1, 2)) {
      verify(desk, timeout(20_000)).done(eq("pass-1"), argThat(d -> d.disk() == 1));
    }
    LeaseReport early = told.stream().filter(r -> r.disk() == 1).findFirst().orElseThrow();
    assertEquals(List.of(0L, 0L, 0L), List.of(early.total(), early.done(), early.watermark()));
  }

  @Test
  void theIntentIsToldFirstAndTheDigestsBeforeTheEnd() throws IOException {
    server.offer("from", over(from, false));
    server.offer("to", over(to, false));
    String[] held = new String[1];
    doAnswer(i -> held[0] = DigestVolume.root(over(digests, false), SIZE))
        .when(desk)
        .done(any(), any());
    doAnswer(
            i -> {
              assertArrayEquals(
                  new byte[SIZE], to, "nothing is written before the intent is stored");
              return null;
            })
        .when(desk)
        .intent(any(), any());
    lease();
    try (Tug tug = new Tug("t", desk, 1, 2)) {
      verify(desk, timeout(10_000)).done(eq("pass-1"), any());
      InOrder order = inOrder(desk);
      order.verify(desk).intent(eq("pass-1"), eq(new LeaseIntent(3, 0, "0+" + SIZE, false)));
      order.verify(desk).done(eq("pass-1"), argThat(d -> d.rootDigest().equals(held[0])));
      assertTrue(tug != null);
    }
    assertArrayEquals(from, to);
  }

  @Test
  void aFullTargetIsToldByItsCode() throws IOException {
    server.offer("from", over(from, false));
    server.offer("to", over(to, true));
    lease();
    try (Tug tug = new Tug("t", desk, 1, 2)) {
      verify(desk, timeout(10_000))
          .failed(
              eq("pass-1"),
              org.mockito.ArgumentMatchers.argThat(
                  (LeaseFailed f) -> f.code().equals("no-space") && f.epoch() == 3));
      assertTrue(tug != null);
    }
  }

  @Test
  void aLostLeaseEndsTheWorkWithoutAnotherWord() throws IOException {
    server.offer("from", over(from, false));
    server.offer("to", over(to, false));
    doThrow(new LeaseDesk.LeaseLostException("pass-1")).when(desk).intent(any(), any());
    lease();
    try (Tug tug = new Tug("t", desk, 1, 2)) {
      verify(desk, timeout(10_000).atLeast(2)).take(any(), anyInt());
      verify(desk, never()).failed(any(), any());
      verify(desk, never()).done(any(), any());
      assertTrue(tug != null);
    }
    assertArrayEquals(new byte[SIZE], to);
  }

  @Test
  void anExportThatIsGoneMayComeBack() throws IOException {
    lease();
    try (Tug tug = new Tug("t", desk, 1, 2)) {
      verify(desk, timeout(10_000))
          .failed(
              eq("pass-1"),
              org.mockito.ArgumentMatchers.argThat((LeaseFailed f) -> f.code().equals("may-pass")));
      assertTrue(tug != null);
    }
  }
}
