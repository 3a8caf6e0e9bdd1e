package bargelane.blocks.nbd;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.BlockDevice.Extent;
import bargelane.blocks.DigestVolume;
import bargelane.blocks.MemoryDevice;
import bargelane.blocks.Ranges;
import bargelane.blocks.SparseDevice;
import bargelane.blocks.pass.DiskPass;
import bargelane.blocks.pass.PassEngine;
import bargelane.blocks.pass.PassKind;
import bargelane.blocks.pass.PassProgress;
import bargelane.blocks.pass.PassWatcher;
import java.io.IOException;
import java.math.BigInteger;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.KeyPair;
import java.security.KeyPairGenerator;
import java.security.KeyStore;
import java.security.MessageDigest;
import java.security.cert.Certificate;
import java.security.cert.X509Certificate;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Base64;
import java.util.Date;
import java.util.HexFormat;
import java.util.List;
import java.util.Random;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import javax.net.ssl.KeyManagerFactory;
import javax.net.ssl.SSLContext;
import org.bouncycastle.asn1.x500.X500Name;
import org.bouncycastle.asn1.x509.BasicConstraints;
import org.bouncycastle.asn1.x509.Extension;
import org.bouncycastle.cert.jcajce.JcaX509CertificateConverter;
import org.bouncycastle.cert.jcajce.JcaX509v3CertificateBuilder;
import org.bouncycastle.operator.jcajce.JcaContentSignerBuilder;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Disk servers and clients that others wrote, in the clear on Unix sockets and under TLS. */
class IndependentPeersTest {

  private static final int SIZE = 8 << 20;

  @TempDir Path dir;
  private X509Certificate certificate;
  private SSLContext context;
  private String fingerprint;
  private Process server;

  /** An authority and a server's certificate from it, as those others want them. */
  @BeforeEach
  void makeCertificates() throws Exception {
    KeyPairGenerator generator = KeyPairGenerator.getInstance("RSA");
    generator.initialize(2048);
    KeyPair authority = generator.generateKeyPair();
    KeyPair own = generator.generateKeyPair();
    X509Certificate root = certificate("authority", authority, authority, true);
    certificate = certificate("localhost", own, authority, false);
    Files.writeString(dir.resolve("ca-cert.pem"), pem("CERTIFICATE", root.getEncoded()));
    Files.writeString(dir.resolve("server-cert.pem"), pem("CERTIFICATE", certificate.getEncoded()));
    Files.writeString(
        dir.resolve("server-key.pem"), pem("PRIVATE KEY", own.getPrivate().getEncoded()));
    KeyStore keys = KeyStore.getInstance("PKCS12");
    keys.load(null, null);
    keys.setKeyEntry("own", own.getPrivate(), new char[0], new Certificate[] {certificate});
    KeyManagerFactory managers =
        KeyManagerFactory.getInstance(KeyManagerFactory.getDefaultAlgorithm());
    managers.init(keys, new char[0]);
    context = SSLContext.getInstance("TLSv1.3");
    context.init(managers.getKeyManagers(), null, null);
    byte[] digest = MessageDigest.getInstance("SHA-256").digest(certificate.getEncoded());
    fingerprint = HexFormat.of().formatHex(digest);
  }

  private static X509Certificate certificate(
      String name, KeyPair of, KeyPair signedBy, boolean authority) throws Exception {
    Instant now = Instant.now();
    return new JcaX509CertificateConverter()
        .getCertificate(
            new JcaX509v3CertificateBuilder(
                    new X500Name("CN=authority"),
                    BigInteger.valueOf(authority ? 1 : 2),
                    Date.from(now.minusSeconds(3600)),
                    Date.from(now.plusSeconds(3600)),
                    new X500Name("CN=" + name),
                    of.getPublic())
                .addExtension(Extension.basicConstraints, true, new BasicConstraints(authority))
                .build(new JcaContentSignerBuilder("SHA256withRSA").build(signedBy.getPrivate())));
  }

  private static String pem(String what, byte[] der) {
    String text = Base64.getMimeEncoder(64, new byte[] {'\n'}).encodeToString(der);
    return "-----BEGIN " + what + "-----\n" + text + "\n-----END " + what + "-----\n";
  }

  @AfterEach
  void endServer() throws InterruptedException {
    if (server != null) {
      server.destroyForcibly();
      assertTrue(server.waitFor(10, TimeUnit.SECONDS));
    }
  }

  private Process start(String... command) throws IOException {
    return new ProcessBuilder(command)
        .redirectErrorStream(true)
        .redirectOutput(dir.resolve("log").toFile())
        .start();
  }

  private static String run(String... command) throws Exception {
    Process process = new ProcessBuilder(command).redirectErrorStream(true).start();
    String said = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    assertTrue(process.waitFor(60, TimeUnit.SECONDS));
    assertEquals(0, process.exitValue(), said);
    return said;
  }

  /** A port that was free a moment ago. */
  private static int port() throws IOException {
    try (ServerSocket any = new ServerSocket(0, 1, InetAddress.getLoopbackAddress())) {
      return any.getLocalPort();
    }
  }

  /** Waits until a server that was just started takes connections. */
  private NbdClient await(NbdAddress address) throws Exception {
    for (int i = 0; true; i++) {
      try {
        return NbdClient.connect(address);
      } catch (IOException e) {
        if (i == 200 || !server.isAlive()) {
          throw new IOException(Files.readString(dir.resolve("log")), e);
        }
        server.waitFor(50, TimeUnit.MILLISECONDS);
      }
    }
  }

  private NbdAddress unix() {
    return new NbdAddress.Unix(dir.resolve("s"), "disk");
  }

  private NbdAddress tls(int port) {
    return new NbdAddress.Tls("127.0.0.1", port, "disk", fingerprint);
  }

  /** Writes, zeroes, flushes and reads over one connection from several threads. */
  private static void exercise(NbdClient client) throws Exception {
    byte[] model = new byte[SIZE];
    assertEquals(SIZE, client.size());
    ExecutorService threads = Executors.newFixedThreadPool(4);
    List<Future<?>> running = new ArrayList<>();
    for (int t = 0; t < 4; t++) {
      int own = t * (SIZE / 4);
      running.add(
          threads.submit(
              () -> {
                Random random = new Random(own);
                for (int i = 0; i < 40; i++) {
                  int at = own + random.nextInt(SIZE / 8) / 512 * 512;
                  byte[] data = new byte[(1 + random.nextInt(SIZE / 8 / 512 - 1)) * 512];
                  if (i % 4 == 3) {
                    client.writeZeroes(at, data.length);
                  } else {
                    random.nextBytes(data);
                    client.write(at, ByteBuffer.wrap(data));
                  }
                  System.arraycopy(data, 0, model, at, data.length);
                }
                client.flush();
                return null;
              }));
    }
    for (Future<?> r : running) {
      r.get();
    }
    threads.shutdown();
    ByteBuffer all = ByteBuffer.allocateDirect(SIZE);
    client.read(0, all);
    byte[] held = new byte[SIZE];
    all.flip().get(held);
    assertArrayEquals(model, held);
    if (client.knows(Context.ALLOCATION)) {
      for (Extent e : client.status(Context.ALLOCATION, 0, SIZE)) {
        int from = (int) e.offset();
        int to = (int) (e.offset() + e.length());
        assertTrue(e.set() || Arrays.equals(model, from, to, new byte[SIZE], 0, to - from));
      }
    }
  }

  private Path image() throws Exception {
    Path image = dir.resolve("image");
    try (var file = new java.io.RandomAccessFile(image.toFile(), "rw")) {
      file.setLength(SIZE);
    }
    return image;
  }

  @Test
  void theHypervisorsDiskServer() throws Exception {
    server =
        start(
            "qemu-nbd",
            "-t",
            "-x",
            "disk",
            "-f",
            "raw",
            "-k",
            dir.resolve("s").toString(),
            image().toString());
    try (NbdClient client = await(unix())) {
      exercise(client);
    }
    assertThrows(
        IOException.class, () -> NbdClient.connect(new NbdAddress.Unix(dir.resolve("s"), "else")));
  }

  private void serveImage() throws Exception {
    server =
        start(
            "qemu-nbd",
            "-t",
            "--shared=16",
            "-x",
            "disk",
            "-f",
            "raw",
            "-k",
            dir.resolve("s").toString(),
            image().toString());
    await(unix()).close();
  }

  @Test
  void aPassGoesOnAfterTheHypervisorsDiskServerWasKilled() throws Exception {
    MemoryDevice source = new MemoryDevice(SIZE);
    new Random(4).nextBytes(source.bytes);
    SparseDevice digests = new SparseDevice(DigestVolume.bytesFor(SIZE));
    long[] watermark = new long[1];
    for (int killed = 0; true; killed++) {
      serveImage();
      int chunks = 2 * killed + 1;
      AtomicInteger left = new AtomicInteger(killed < 3 ? chunks : Integer.MAX_VALUE);
      PassWatcher watcher =
          new PassWatcher() {
            @Override
            public void intent(Ranges ranges, boolean anywhere) {}

            @Override
            public void progress(PassProgress progress) {
              watermark[0] = Math.max(watermark[0], progress.watermark());
              if (left.getAndDecrement() == 0) {
                server.destroyForcibly();
              }
            }
          };
      DiskPass pass = new DiskPass(PassKind.FULL, new Ranges(), killed > 0, watermark[0], true);
      try {
        new PassEngine(2)
            .run(() -> source, () -> NbdClient.connect(unix()), () -> digests, pass, watcher);
        break;
      } catch (IOException e) {
        assertTrue(killed < 3, e.toString());
        endServer();
      }
    }
    assertArrayEquals(source.bytes, Files.readAllBytes(dir.resolve("image")));
    assertEquals(SIZE, watermark[0]);
  }

  @Test
  void theHypervisorsDiskServerUnderTls() throws Exception {
    int port = port();
    server =
        start(
            "qemu-nbd",
            "-t",
            "-x",
            "disk",
            "-f",
            "raw",
            "-b",
            "127.0.0.1",
            "-p",
            String.valueOf(port),
            "--object",
            "tls-creds-x509,id=t,endpoint=server,verify-peer=no,dir=" + dir,
            "--tls-creds",
            "t",
            image().toString());
    try (NbdClient client = await(tls(port))) {
      exercise(client);
    }
    String other = "0".repeat(64);
    IOException refused =
        assertThrows(
            IOException.class,
            () -> NbdClient.connect(new NbdAddress.Tls("127.0.0.1", port, "disk", other)));
    assertTrue(refused.getMessage().contains(fingerprint), refused.getMessage());
  }

  @Test
  void aPluginServer() throws Exception {
    server = start("nbdkit", "-f", "-U", dir.resolve("s").toString(), "-e", "disk", "memory", "8M");
    try (NbdClient client = await(unix())) {
      exercise(client);
    }
  }

  @Test
  void aPluginServerUnderTls() throws Exception {
    int port = port();
    server =
        start(
            "nbdkit",
            "-f",
            "-i",
            "127.0.0.1",
            "-p",
            String.valueOf(port),
            "--tls=require",
            "--tls-certificates=" + dir,
            "memory",
            "8M");
    try (NbdClient client = await(tls(port))) {
      exercise(client);
    }
  }

  @Test
  void thePlainServerOfTheProtocolsOwnProject() throws Exception {
    Path config = dir.resolve("config");
    Files.writeString(
        config,
        "[generic]\nunixsock = %s\nport = %d\nlistenaddr = 127.0.0.1\n[disk]\nexportname = %s\nflush = true\n"
            .formatted(dir.resolve("s"), port(), image()));
    server = start("nbd-server", "-d", "-C", config.toString());
    try (NbdClient client = await(unix())) {
      exercise(client);
    }
  }

  @Test
  void othersReadAndWriteOurs() throws Exception {
    MemoryDevice disk = new MemoryDevice(SIZE);
    new Random(8).nextBytes(disk.bytes);
    disk.writeZeroes(1 << 20, 3 << 20);
    Path copy = dir.resolve("copy");
    byte[] fresh = new byte[SIZE];
    new Random(9).nextBytes(fresh);
    Arrays.fill(fresh, 2 << 20, 5 << 20, (byte) 0);
    Path other = dir.resolve("other");
    Files.write(other, fresh);
    try (NbdServer ours = NbdServer.unix(dir.resolve("s"))) {
      ours.offer("disk", disk);
      String uri = "nbd+unix:///disk?socket=" + dir.resolve("s");
      String said = run("nbdinfo", uri);
      assertTrue(said.contains("base:allocation"), said);
      run("nbdcopy", uri, copy.toString());
      assertArrayEquals(disk.bytes, Files.readAllBytes(copy));
      run("nbdcopy", "--flush", other.toString(), uri);
      assertArrayEquals(fresh, disk.bytes);
      run("qemu-img", "convert", "-f", "raw", "-O", "raw", uri, copy.toString());
      assertArrayEquals(fresh, Files.readAllBytes(copy));
    }
  }

  @Test
  void othersReadAndWriteOursUnderTls() throws Exception {
    MemoryDevice disk = new MemoryDevice(SIZE);
    byte[] fresh = new byte[SIZE];
    new Random(9).nextBytes(fresh);
    Path other = dir.resolve("other");
    Files.write(other, fresh);
    try (NbdServer ours = NbdServer.tls(context)) {
      ours.offer("disk", disk);
      String creds = "tls-creds-x509,id=t,endpoint=client,verify-peer=yes,dir=" + dir;
      String image =
          "driver=nbd,host=127.0.0.1,port=%d,export=disk,tls-creds=t,tls-hostname=localhost"
              .formatted(ours.port());
      run(
          "qemu-img",
          "convert",
          "-n",
          "-f",
          "raw",
          "--object",
          creds,
          "--target-image-opts",
          other.toString(),
          image);
      assertArrayEquals(fresh, disk.bytes);
      run(
          "qemu-img",
          "compare",
          "--object",
          creds,
          "--image-opts",
          "driver=file,filename=" + other,
          image);
    }
  }

  @Test
  void aClientThatStaysInTheClearGetsNoExportOverTcp() throws Exception {
    try (NbdServer ours = NbdServer.tls(context)) {
      ours.offer("disk", new MemoryDevice(SIZE));
      Process plain =
          new ProcessBuilder("nbdinfo", "nbd://127.0.0.1:" + ours.port() + "/disk")
              .redirectErrorStream(true)
              .start();
      String said = new String(plain.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
      assertTrue(plain.waitFor() != 0, said);
      // One that says nothing at all holds nobody else up.
      try (Socket silent = new Socket(InetAddress.getLoopbackAddress(), ours.port());
          NbdClient client = NbdClient.connect(tls(ours.port()))) {
        assertTrue(silent.isConnected());
        assertEquals(SIZE, client.size());
      }
    }
  }
}
