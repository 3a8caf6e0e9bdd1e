package bargelane.blocks.nbd;

import static org.junit.jupiter.api.Assertions.assertEquals;

import bargelane.blocks.MemoryDevice;
import bargelane.blocks.tls.ServerKeys;
import java.io.IOException;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.nio.ByteBuffer;
import java.nio.file.Path;
import java.util.List;
import java.util.Random;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** A network that cuts TLS records wherever it likes. */
class TlsPiecesTest {

  private static final int SIZE = 2 << 20;

  @TempDir Path dir;
  private final ExecutorService threads = Executors.newCachedThreadPool();

  /** Passes on what comes in pieces of any size. */
  private void pass(Socket from, Socket to, Random random) {
    threads.submit(
        () -> {
          byte[] piece = new byte[9000];
          for (int n = from.getInputStream().read(piece);
              n > 0;
              n = from.getInputStream().read(piece, 0, 1 + random.nextInt(piece.length))) {
            to.getOutputStream().write(piece, 0, n);
          }
          to.close();
          return null;
        });
  }

  @Test
  void bytesCrossWhateverTheNetworkMakesOfThem() throws Exception {
    ServerKeys certificate = ServerKeys.selfMade(dir.resolve("k.p12"), "x", List.of());
    MemoryDevice disk = new MemoryDevice(SIZE);
    Random random = new Random(3);
    random.nextBytes(disk.bytes);
    try (NbdServer server = NbdServer.tls(certificate.context());
        ServerSocket between = new ServerSocket(0, 5, InetAddress.getLoopbackAddress())) {
      server.offer("disk", disk);
      threads.submit(() -> join(between, server.port()));
      NbdAddress address =
          new NbdAddress.Tls(
              "127.0.0.1", between.getLocalPort(), "disk", certificate.fingerprint());
      for (int i = 0; i < 5; i++) {
        try (NbdClient client = NbdClient.connect(address)) {
          for (int j = 0; j < 20; j++) {
            int n = 1 + random.nextInt(j % 2 == 0 ? 20_000 : SIZE);
            int at = random.nextInt(SIZE - n + 1);
            ByteBuffer back = j % 3 == 0 ? ByteBuffer.allocateDirect(n) : ByteBuffer.allocate(n);
            client.read(at, back);
            assertEquals(ByteBuffer.wrap(disk.bytes, at, n), back.flip());
            byte[] fresh = new byte[n];
            random.nextBytes(fresh);
            client.write(at, ByteBuffer.wrap(fresh));
            assertEquals(ByteBuffer.wrap(fresh), ByteBuffer.wrap(disk.bytes, at, n));
          }
        }
      }
    } finally {
      threads.shutdownNow();
    }
  }

  private Void join(ServerSocket between, int port) throws IOException {
    while (true) {
      Socket client = between.accept();
      Socket server = new Socket(InetAddress.getLoopbackAddress(), port);
      pass(client, server, new Random(1));
      pass(server, client, new Random(2));
    }
  }
}
