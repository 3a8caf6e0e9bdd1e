package bargelane.blocks.nbd;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.MemoryDevice;
import bargelane.blocks.tls.ServerKeys;
import java.io.DataInputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.security.cert.X509Certificate;
import java.util.List;
import java.util.Random;
import java.util.Set;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import javax.net.ssl.SSLContext;
import javax.net.ssl.SSLSocket;
import javax.net.ssl.TrustManager;
import javax.net.ssl.X509TrustManager;
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
    try (NbdServer server = NbdServer.tls(certificate);
        ServerSocket between = new ServerSocket(0, 5, InetAddress.getLoopbackAddress())) {
      server.offer("disk", disk, Set.of(ServerKeys.own().fingerprint()));
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

  @Test
  void anExportIsForWhoShowsItsCertificate() throws Exception {
    ServerKeys certificate = ServerKeys.selfMade(dir.resolve("k.p12"), "x", List.of());
    ServerKeys other = ServerKeys.selfMade(dir.resolve("other.p12"), "y", List.of());
    try (NbdServer server = NbdServer.tls(certificate)) {
      server.offer("mine", new MemoryDevice(SIZE), Set.of(ServerKeys.own().fingerprint()));
      server.offer("theirs", new MemoryDevice(SIZE), Set.of(other.fingerprint()));
      server.offer("ours", new MemoryDevice(SIZE));
      for (String name : List.of("mine", "ours", "mine")) {
        try (NbdClient client = NbdClient.connect(at(server, certificate, name))) {
          assertEquals(SIZE, client.size());
        }
      }
      IOException refused =
          assertThrows(
              IOException.class, () -> NbdClient.connect(at(server, certificate, "theirs")));
      assertTrue(refused.getMessage().contains("another certificate"), refused.getMessage());
      // Somebody who shows nothing, and knows the name of an export.
      assertEquals("refused", nameless(server, "mine"));
      assertEquals("open", nameless(server, "ours"));
    } finally {
      threads.shutdownNow();
    }
  }

  private static NbdAddress at(NbdServer server, ServerKeys certificate, String name) {
    return new NbdAddress.Tls("127.0.0.1", server.port(), name, certificate.fingerprint());
  }

  /** What a client without a certificate gets for a name: the protocol's first steps, by hand. */
  private static String nameless(NbdServer server, String name) throws Exception {
    try (Socket plain = new Socket(InetAddress.getLoopbackAddress(), server.port())) {
      DataInputStream in = new DataInputStream(plain.getInputStream());
      DataOutputStream out = new DataOutputStream(plain.getOutputStream());
      in.readNBytes(18);
      out.writeInt(3);
      out.writeLong(0x49484156454F5054L);
      out.writeInt(5);
      out.writeInt(0);
      in.readNBytes(20);
      SSLContext anybody = SSLContext.getInstance("TLSv1.3");
      anybody.init(null, new TrustManager[] {new Trusting()}, null);
      SSLSocket secure =
          (SSLSocket) anybody.getSocketFactory().createSocket(plain, "127.0.0.1", 0, false);
      in = new DataInputStream(secure.getInputStream());
      out = new DataOutputStream(secure.getOutputStream());
      byte[] bytes = name.getBytes(StandardCharsets.UTF_8);
      out.writeLong(0x49484156454F5054L);
      out.writeInt(7);
      out.writeInt(4 + bytes.length + 2);
      out.writeInt(bytes.length);
      out.write(bytes);
      out.writeShort(0);
      out.flush();
      in.readLong();
      in.readInt();
      return in.readInt() == 0x80000002 ? "refused" : "open";
    }
  }

  private record Trusting() implements X509TrustManager {
    @Override
    public void checkClientTrusted(X509Certificate[] chain, String type) {}

    @Override
    public void checkServerTrusted(X509Certificate[] chain, String type) {}

    @Override
    public X509Certificate[] getAcceptedIssuers() {
      return new X509Certificate[0];
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
