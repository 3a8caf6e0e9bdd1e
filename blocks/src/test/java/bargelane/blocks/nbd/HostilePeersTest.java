package bargelane.blocks.nbd;

import static bargelane.blocks.nbd.Nbd.*;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTimeoutPreemptively;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.BlockDigest;
import java.io.IOException;
import java.net.SocketTimeoutException;
import java.net.StandardProtocolFamily;
import java.net.UnixDomainSocketAddress;
import java.nio.ByteBuffer;
import java.nio.channels.ServerSocketChannel;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** Disk servers that say what is not so: nothing of it may pass for bytes of a disk. */
class HostilePeersTest {

  private static final long SIZE = 1 << 20;

  /** What a server does with requests once the export is open. */
  private interface Script {
    void answer(Wire wire) throws IOException;
  }

  private record Request(int type, long cookie, long offset, int length) {}

  private final ExecutorService threads = Executors.newCachedThreadPool();
  private Path dir;
  private ServerSocketChannel listener;

  @BeforeEach
  void listen() throws IOException {
    dir = Files.createTempDirectory("peers");
    listener = ServerSocketChannel.open(StandardProtocolFamily.UNIX);
    listener.bind(UnixDomainSocketAddress.of(dir.resolve("s")), 1);
  }

  @AfterEach
  void close() throws IOException {
    threads.shutdownNow();
    listener.close();
    Files.delete(dir.resolve("s"));
    Files.delete(dir);
  }

  private NbdClient connect(Script script) throws IOException {
    return connect(script, Optional.empty());
  }

  private NbdClient connect(Script script, Optional<BlockDigest> digest) throws IOException {
    threads.submit(
        () -> {
          try (Wire wire = Wire.of(listener.accept())) {
            greet(wire);
            script.answer(wire);
          }
          return null;
        });
    return NbdClient.connect(new NbdAddress.Unix(dir.resolve("s"), "disk"), digest);
  }

  private static void greet(Wire wire) throws IOException {
    wire.write(
        ByteBuffer.allocate(18)
            .putLong(MAGIC)
            .putLong(OPTION_MAGIC)
            .putShort((short) (FIXED_NEWSTYLE | NO_ZEROES))
            .flip());
    wire.take(4);
    while (true) {
      ByteBuffer head = wire.take(16);
      head.getLong();
      int option = head.getInt();
      ByteBuffer data = wire.take(head.getInt());
      if (option == OPT_SET_META_CONTEXT) {
        data.position(4 + data.getInt());
        int contexts = data.getInt();
        for (int i = 0; i < contexts; i++) {
          byte[] name = new byte[data.getInt()];
          data.get(name);
          reply(
              wire,
              option,
              REP_META_CONTEXT,
              ByteBuffer.allocate(4 + name.length).putInt(i + 1).put(name).flip());
        }
      }
      if (option == OPT_GO) {
        reply(
            wire,
            option,
            REP_INFO,
            ByteBuffer.allocate(12)
                .putShort((short) INFO_EXPORT)
                .putLong(SIZE)
                .putShort((short) (HAS_FLAGS | SEND_FLUSH))
                .flip());
      }
      reply(wire, option, REP_ACK, ByteBuffer.allocate(0));
      if (option == OPT_GO) {
        return;
      }
    }
  }

  private static void reply(Wire wire, int option, int type, ByteBuffer data) throws IOException {
    ByteBuffer head = ByteBuffer.allocate(20).putLong(OPTION_REPLY_MAGIC).putInt(option);
    wire.write(head.putInt(type).putInt(data.remaining()).flip(), data);
  }

  private static Request take(Wire wire) throws IOException {
    ByteBuffer head = wire.take(28);
    assertEquals(REQUEST_MAGIC, head.getInt());
    head.getShort();
    return new Request(head.getShort(), head.getLong(), head.getLong(), head.getInt());
  }

  private static ByteBuffer chunk(long cookie, boolean last, int type, int length) {
    return ByteBuffer.allocate(20 + length)
        .putInt(STRUCTURED_REPLY_MAGIC)
        .putShort((short) (last ? REPLY_DONE : 0))
        .putShort((short) type)
        .putLong(cookie)
        .putInt(length);
  }

  private static ByteBuffer data(Request r, boolean last, long offset, byte fill, int n) {
    ByteBuffer chunk = chunk(r.cookie, last, REPLY_OFFSET_DATA, 8 + n).putLong(offset);
    byte[] bytes = new byte[n];
    java.util.Arrays.fill(bytes, fill);
    return chunk.put(bytes).flip();
  }

  /** A read that must fail, and leave a connection that no later read gets anything from. */
  private void fails(String because, Script script) throws IOException {
    try (NbdClient client = connect(script)) {
      IOException e =
          assertTimeoutPreemptively(
              Duration.ofSeconds(20),
              () ->
                  assertThrows(
                      IOException.class, () -> client.read(4096, ByteBuffer.allocate(100))));
      assertTrue(e.getMessage().contains(because), e.getMessage());
      assertThrows(IOException.class, () -> client.read(0, ByteBuffer.allocate(1)));
    }
  }

  @Test
  void anAnswerThatLeavesBytesOutIsNone() throws IOException {
    fails(
        "left out",
        wire -> {
          Request r = take(wire);
          wire.write(chunk(r.cookie, true, REPLY_NONE, 0).flip());
        });
    fails(
        "left out",
        wire -> {
          Request r = take(wire);
          wire.write(data(r, false, 4096, (byte) 1, 60));
          wire.write(data(r, true, 4096, (byte) 1, 60));
        });
  }

  @Test
  void bytesFromElsewhereAreNone() throws IOException {
    fails("not asked for", wire -> wire.write(data(take(wire), true, 0, (byte) 1, 100)));
    fails("not asked for", wire -> wire.write(data(take(wire), true, 4097, (byte) 1, 100)));
    fails("not asked for", wire -> wire.write(data(take(wire), true, -1, (byte) 1, 100)));
    fails(
        "not asked for",
        wire -> {
          Request r = take(wire);
          ByteBuffer hole = chunk(r.cookie, true, REPLY_OFFSET_HOLE, 12);
          wire.write(hole.putLong(4096).putInt(-1).flip());
        });
  }

  @Test
  void anAnswerToAnotherRequestIsNone() throws IOException {
    fails(
        "reply to no request",
        wire -> {
          Request r = take(wire);
          wire.write(data(new Request(0, r.cookie + 7, 0, 0), true, 4096, (byte) 1, 100));
        });
    // One that answers twice is caught at the next request.
    try (NbdClient client =
        connect(
            wire -> {
              Request r = take(wire);
              wire.write(data(r, true, 0, (byte) 1, 1), data(r, true, 0, (byte) 2, 1));
              take(wire);
            })) {
      client.read(0, ByteBuffer.allocate(1));
      assertThrows(IOException.class, () -> client.read(0, ByteBuffer.allocate(1)));
    }
  }

  @Test
  void noiseCutsAndPayloadsWithoutMeasureEndTheConnection() throws IOException {
    fails(
        "garbled",
        wire -> {
          take(wire);
          wire.write(ByteBuffer.wrap("no reply at all, and long".getBytes(StandardCharsets.UTF_8)));
        });
    fails("closed", wire -> wire.write(data(take(wire), true, 4096, (byte) 1, 100).limit(70)));
    fails(
        "payload",
        wire -> {
          Request r = take(wire);
          ByteBuffer head = chunk(r.cookie, true, REPLY_OFFSET_DATA, 0);
          wire.write(head.putInt(16, Integer.MIN_VALUE).flip());
        });
    fails(
        "without saying where",
        wire -> {
          Request r = take(wire);
          ByteBuffer simple = ByteBuffer.allocate(116).putInt(SIMPLE_REPLY_MAGIC).putInt(0);
          wire.write(simple.putLong(r.cookie).clear());
        });
    fails(
        "garbled",
        wire -> wire.write(chunk(take(wire).cookie, true, REPLY_BLOCK_STATUS, 2).clear()));
  }

  @Test
  void answersMayComeInAnyOrderAndInParts() throws Exception {
    int requests = 5;
    try (NbdClient client =
        connect(
            wire -> {
              List<Request> all = new ArrayList<>();
              while (all.size() < requests) {
                all.add(0, take(wire));
              }
              for (Request r : all) {
                wire.write(data(r, false, r.offset + 50, (byte) (r.offset / 1000 + 1), 50));
              }
              for (Request r : all) {
                wire.write(data(r, true, r.offset, (byte) (r.offset / 1000 + 1), 50));
              }
              take(wire);
            })) {
      List<Future<byte[]>> read = new ArrayList<>();
      for (int i = 0; i < requests; i++) {
        long offset = i * 1000L;
        read.add(
            threads.submit(
                () -> {
                  ByteBuffer into = ByteBuffer.allocate(100);
                  client.read(offset, into);
                  return into.array();
                }));
      }
      for (int i = 0; i < requests; i++) {
        for (byte b : read.get(i).get()) {
          assertEquals(i + 1, b);
        }
      }
    }
  }

  @Test
  void aFailureIsOfItsOwnRequestOnly() throws IOException {
    try (NbdClient client =
        connect(
            wire -> {
              Request r = take(wire);
              ByteBuffer error = chunk(r.cookie, true, REPLY_ERROR, 6 + 3).putInt(ENOSPC);
              wire.write(
                  error.putShort((short) 3).put("bad".getBytes(StandardCharsets.UTF_8)).flip());
              wire.write(data(take(wire), true, 0, (byte) 5, 1));
              take(wire);
            })) {
      assertThrows(IOException.class, () -> client.read(0, ByteBuffer.allocate(1)));
      ByteBuffer one = ByteBuffer.allocate(1);
      client.read(0, one);
      assertEquals(5, one.get(0));
    }
  }

  @Test
  void anAnswerThatDoesNotEndIsGivenUp() throws IOException {
    try (NbdClient client =
        connect(
            wire -> {
              Request r = take(wire);
              while (true) {
                wire.write(chunk(r.cookie, false, REPLY_BLOCK_STATUS, 1 << 20).putInt(1).clear());
              }
            })) {
      assertTimeoutPreemptively(
          Duration.ofSeconds(20),
          () -> assertThrows(IOException.class, () -> client.status(Context.ALLOCATION, 0, SIZE)));
    }
  }

  @Test
  void nobodyReadsOnFromTheMiddleOfABrokenAnswer() throws Exception {
    // The first answer is garbled; what follows in it looks like answers to the other requests.
    int requests = 6;
    try (NbdClient client =
        connect(
            wire -> {
              List<Request> all = new ArrayList<>();
              while (all.size() < requests) {
                all.add(take(wire));
              }
              ByteBuffer out = ByteBuffer.allocate(4000);
              Request first = all.get(0);
              out.put(
                  chunk(first.cookie, true, REPLY_OFFSET_DATA, 9).putLong(77).put((byte) 1).flip());
              all.forEach(r -> out.put(data(r, true, r.offset, (byte) 66, 100)));
              wire.write(out.flip());
              take(wire);
            })) {
      List<Future<?>> read = new ArrayList<>();
      for (int i = 0; i < requests; i++) {
        long offset = i * 1000L;
        read.add(
            threads.submit(
                () ->
                    assertThrows(
                        IOException.class, () -> client.read(offset, ByteBuffer.allocate(100)))));
      }
      for (Future<?> r : read) {
        r.get();
      }
    }
  }

  @Test
  void statusThatCoversNothingOrAPartOfABlockIsNone() throws IOException {
    try (NbdClient client =
        connect(
            wire -> {
              Request r = take(wire);
              wire.write(chunk(r.cookie, true, REPLY_BLOCK_STATUS, 12).putInt(1).clear());
              take(wire);
            })) {
      assertThrows(IOException.class, () -> client.status(Context.ALLOCATION, 0, SIZE));
    }
    BlockDigest by = new BlockDigest(1);
    try (NbdClient client =
        connect(
            wire -> {
              Request r = take(wire);
              for (int i = 1; i <= 4; i++) {
                ByteBuffer part = chunk(r.cookie, i == 4, REPLY_BLOCK_STATUS, 12);
                wire.write(part.putInt(i).putInt(1000).putInt(0).flip());
              }
              take(wire);
            },
            Optional.of(by))) {
      assertTrue(client.tellsDigests());
      assertFalse(client.knows(Context.ALLOCATION), "an answer tells what was agreed on, always");
      assertThrows(IOException.class, () -> client.digests(by, 0, SIZE));
      assertThrows(
          IllegalArgumentException.class, () -> client.digests(new BlockDigest(2), 0, SIZE));
    }
  }

  @Test
  void whoClosesEndsThoseWhoWait() throws Exception {
    try (NbdClient client = connect(HostilePeersTest::take)) {
      List<Future<?>> waiting = new ArrayList<>();
      for (int i = 0; i < 3; i++) {
        waiting.add(
            threads.submit(
                () ->
                    assertThrows(IOException.class, () -> client.read(0, ByteBuffer.allocate(1)))));
      }
      client.close();
      assertTimeoutPreemptively(
          Duration.ofSeconds(20),
          () -> {
            for (Future<?> w : waiting) {
              w.get();
            }
          });
    }
  }

  @Test
  void whoIsInterruptedWhileConnectingIsToldSo() {
    Thread.currentThread().interrupt();
    IOException e =
        assertThrows(IOException.class, () -> Wire.unix(dir.resolve("s"), Duration.ofSeconds(5)));
    assertTrue(Thread.interrupted());
    assertTrue(e.getMessage().contains("interrupted"), e.getMessage());
  }

  @Test
  void aListenerThatTakesNobodyAndAPeerThatSaysNothingAreGivenUp() throws IOException {
    List<Wire> queue = new ArrayList<>();
    try {
      IOException e =
          assertTimeoutPreemptively(
              Duration.ofSeconds(20),
              () ->
                  assertThrows(
                      SocketTimeoutException.class,
                      () -> {
                        while (true) {
                          Wire wire = Wire.unix(dir.resolve("s"), Duration.ofMillis(50));
                          queue.add(wire.patience(Duration.ofMillis(50)));
                        }
                      }));
      assertTrue(e.getMessage().contains("no connection"), e.getMessage());
      assertFalse(queue.isEmpty());
      e = assertThrows(SocketTimeoutException.class, () -> queue.get(0).take(1));
      assertTrue(e.getMessage().contains("silent"), e.getMessage());
    } finally {
      for (Wire wire : queue) {
        wire.close();
      }
    }
  }
}
