package bargelane.blocks.nbd;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.BlockDevice.Extent;
import bargelane.blocks.BlockDigest;
import bargelane.blocks.MemoryDevice;
import bargelane.blocks.Ranges;
import java.io.IOException;
import java.net.StandardProtocolFamily;
import java.net.UnixDomainSocketAddress;
import java.nio.ByteBuffer;
import java.nio.channels.SocketChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Random;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

class NbdTest {

  private static final int SIZE = 4 << 20;

  private final MemoryDevice disk = new MemoryDevice(SIZE);
  private Path dir;
  private NbdServer server;

  @BeforeEach
  void listen() throws IOException {
    dir = Files.createTempDirectory("nbd");
    server = NbdServer.unix(dir.resolve("s"));
    server.offer("disk", disk);
  }

  @AfterEach
  void close() throws IOException {
    server.close();
    Files.delete(dir);
  }

  private NbdClient connect(String export) throws IOException {
    return NbdClient.connect(NbdAddress.parse(new NbdAddress.Unix(dir.resolve("s"), export).uri()));
  }

  @Test
  void bytesCrossUnchangedInBothDirections() throws IOException {
    byte[] data = new byte[3_000_001];
    new Random(3).nextBytes(data);
    try (NbdClient client = connect("disk")) {
      assertEquals(SIZE, client.size());
      client.write(777, ByteBuffer.wrap(data));
      client.flush();
      ByteBuffer back = ByteBuffer.allocate(data.length);
      client.read(777, back);
      assertArrayEquals(data, back.array());
      client.writeZeroes(777, data.length);
      back.clear();
      client.read(777, back);
      assertArrayEquals(new byte[data.length], back.array());
    }
  }

  @Test
  void allocationAndChangesAreToldAsBlockStatus() throws IOException {
    disk.bytes[65536] = 1;
    disk.changed = Optional.of(Ranges.of(131072, 131073));
    try (NbdClient client = connect("disk")) {
      List<Extent> allocated = client.status(Context.ALLOCATION, 0, 262144);
      assertEquals(
          List.of(new Extent(65536, 65536, true)), allocated.stream().filter(Extent::set).toList());
      assertEquals(262144, allocated.stream().mapToLong(Extent::length).sum());
      assertEquals(
          List.of(new Extent(131072, 65536, true)),
          client.status(Context.CHANGED, 0, 262144).stream().filter(Extent::set).toList());
    }
  }

  @Test
  void digestsAreToldByTheServerInPlaceOfTheBytes() throws IOException {
    new Random(5).nextBytes(disk.bytes);
    disk.writeZeroes(3L << 16, 1 << 16);
    BlockDigest by = BlockDigest.fresh();
    NbdAddress address = new NbdAddress.Unix(dir.resolve("s"), "disk");
    try (NbdClient plain = NbdClient.connect(address, Optional.of(by))) {
      assertFalse(plain.tellsDigests(), "this disk does not tell them");
    }
    disk.tellsDigests = true;
    try (NbdClient client = NbdClient.connect(address, Optional.of(by))) {
      assertTrue(client.tellsDigests());
      byte[][] told = client.digests(by, 1 << 16, SIZE - (1 << 16) - 100);
      ByteBuffer held = ByteBuffer.wrap(disk.bytes, 1 << 16, SIZE - (1 << 16) - 100);
      assertArrayEquals(by.of(held), told);
      assertTrue(BlockDigest.isZero(told[2]) && !BlockDigest.isZero(told[1]));
      assertEquals(0, disk.bytesRead);
      assertThrows(IllegalArgumentException.class, () -> client.digests(by, 512, 1 << 16));
    }
    try (NbdClient client = NbdClient.connect(address)) {
      assertThrows(IllegalArgumentException.class, () -> client.digests(by, 0, 1 << 16));
    }
  }

  @Test
  void manyThreadsShareOneConnection() throws Exception {
    ExecutorService threads = Executors.newFixedThreadPool(8);
    try (NbdClient client = connect("disk")) {
      List<Future<?>> running = new ArrayList<>();
      for (int t = 0; t < 8; t++) {
        int own = t;
        running.add(
            threads.submit(
                () -> {
                  Random random = new Random(own);
                  for (int i = 0; i < 100; i++) {
                    byte[] data = new byte[1 + random.nextInt(300_000)];
                    random.nextBytes(data);
                    long at = own * 500_000L + random.nextInt(200_000);
                    ByteBuffer from =
                        i % 2 == 0
                            ? ByteBuffer.wrap(data)
                            : ByteBuffer.allocateDirect(data.length).put(data).flip();
                    client.write(at, from);
                    ByteBuffer back = ByteBuffer.allocateDirect(data.length);
                    client.read(at, back);
                    assertEquals(ByteBuffer.wrap(data), back.flip());
                  }
                  return null;
                }));
      }
      for (Future<?> r : running) {
        r.get();
      }
    } finally {
      threads.shutdownNow();
    }
  }

  @Test
  void changesAreNotOfferedWhereNothingTracksThem() throws IOException {
    try (NbdClient client = connect("disk")) {
      assertFalse(client.knows(Context.CHANGED));
      assertThrows(
          BlockDevice.UnsupportedContextException.class,
          () -> client.status(Context.CHANGED, 0, 10));
    }
  }

  @Test
  void afterRevokingNobodyWrites() throws IOException {
    try (NbdClient client = connect("disk")) {
      client.write(0, ByteBuffer.wrap(new byte[] {1}));
      server.revoke("disk");
      assertThrows(IOException.class, () -> client.write(0, ByteBuffer.wrap(new byte[] {2})));
      assertEquals(1, disk.bytes[0]);
      assertThrows(IOException.class, () -> connect("disk"));
    }
  }

  @Test
  void aFullTargetIsToldAsSuch() throws IOException {
    disk.failAfter = 10;
    try (NbdClient client = connect("disk")) {
      assertThrows(
          BlockDevice.NoSpaceException.class, () -> client.write(0, ByteBuffer.allocate(11)));
      client.write(0, ByteBuffer.allocate(5));
    }
  }

  @Test
  void requestsOutsideTheDiskAreRefusedBeforeTheyAreSent() throws IOException {
    try (NbdClient client = connect("disk")) {
      assertThrows(
          IllegalArgumentException.class, () -> client.read(SIZE - 1, ByteBuffer.allocate(2)));
      assertThrows(IllegalArgumentException.class, () -> client.read(-1, ByteBuffer.allocate(2)));
    }
  }

  @Test
  void anUnknownExportIsNamed() {
    assertTrue(
        assertThrows(IOException.class, () -> connect("other")).getMessage().contains("other"));
  }

  @Test
  void noiseEndsItsOwnConnectionOnly() throws IOException {
    Random random = new Random(11);
    for (int i = 0; i < 60; i++) {
      try (SocketChannel raw = SocketChannel.open(StandardProtocolFamily.UNIX)) {
        raw.connect(UnixDomainSocketAddress.of(dir.resolve("s")));
        ByteBuffer noise = ByteBuffer.allocate(200);
        random.nextBytes(noise.array());
        if (i % 2 == 0) {
          // A right beginning, so that the options are reached.
          noise
              .putInt(0, 3)
              .putLong(4, Nbd.OPTION_MAGIC)
              .putInt(12, i % 12)
              .putInt(16, i % 5 == 0 ? -1 : 40);
        }
        raw.write(noise);
      }
    }
    try (NbdClient client = connect("disk")) {
      client.write(0, ByteBuffer.wrap(new byte[] {9}));
    }
    assertEquals(9, disk.bytes[0]);
  }

  @Test
  void openTcpHasNoAddress() {
    assertThrows(
        IllegalArgumentException.class, () -> NbdAddress.parse("nbd://127.0.0.1:10809/disk"));
    assertThrows(
        IllegalArgumentException.class, () -> NbdAddress.parse("nbds://127.0.0.1:10809/disk"));
    assertThrows(IllegalArgumentException.class, () -> NbdAddress.parse("no address"));
  }
}
