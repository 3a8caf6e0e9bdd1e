package bargelane.standins.host;

import java.io.Closeable;
import java.io.IOException;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;

/**
 * The system's own SSH server on a port of loopback, as one server of an estate. If we are root it
 * has an account of its own, {@value #ACCOUNT}, that only this server sees (a mount namespace with
 * its own list of accounts) and that may nothing special; otherwise it lets in who runs it.
 */
public final class SshServer implements Closeable {

  public static final String ACCOUNT = "scout";
  public static final String PASSWORD = "made-up-for-tests";

  private static final int START_SECONDS = 30;

  private final Path dir;
  private final int port;
  private Process server;

  private SshServer(Path dir, int port) {
    this.dir = dir;
    this.port = port;
  }

  /** Starts one with a fresh host key. */
  public static SshServer start() throws IOException {
    Path dir = Files.createTempDirectory("bargelane-sshd");
    // The account must be able to read which keys are its own.
    Files.setPosixFilePermissions(dir, PosixFilePermissions.fromString("rwxr-xr-x"));
    int port;
    try (ServerSocket probe = new ServerSocket(0, 1, InetAddress.getLoopbackAddress())) {
      port = probe.getLocalPort();
    }
    SshServer made = new SshServer(dir, port);
    made.exec("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", dir + "/key");
    Files.copy(dir.resolve("key.pub"), dir.resolve("authorized_keys"));
    made.run();
    return made;
  }

  private void run() throws IOException {
    if (!Files.exists(dir.resolve("host_key"))) {
      exec("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", dir + "/host_key");
    }
    Files.writeString(
        dir.resolve("sshd.conf"),
        String.join(
            "\n",
            "ListenAddress 127.0.0.1:" + port,
            "HostKey " + dir + "/host_key",
            "AuthorizedKeysFile " + dir + "/authorized_keys",
            "PidFile none",
            "StrictModes no",
            "UsePAM no",
            "PasswordAuthentication yes",
            "KbdInteractiveAuthentication no",
            ""));
    List<String> command = new ArrayList<>();
    if (root()) {
      String hash = exec("openssl", "passwd", "-6", "-salt", "bargelane", PASSWORD).strip();
      Files.writeString(
          dir.resolve("passwd"),
          Files.readString(Path.of("/etc/passwd")) + ACCOUNT + ":x:64999:65534::/:/bin/sh\n");
      Files.writeString(
          dir.resolve("shadow"),
          Files.readString(Path.of("/etc/shadow"))
              + ACCOUNT
              + ":"
              + hash
              + ":19000:0:99999:7:::\n");
      Files.setPosixFilePermissions(
          dir.resolve("shadow"), PosixFilePermissions.fromString("rw-------"));
      command.addAll(
          List.of(
              "unshare",
              "-m",
              "sh",
              "-ec",
              "mkdir -p /run/sshd; mount --bind \"$0/passwd\" /etc/passwd;"
                  + " mount --bind \"$0/shadow\" /etc/shadow; exec \"$@\"",
              dir.toString()));
    }
    command.addAll(
        List.of("/usr/sbin/sshd", "-D", "-E", dir + "/sshd.log", "-f", dir + "/sshd.conf"));
    server = new ProcessBuilder(command).redirectErrorStream(true).start();
    long until = System.nanoTime() + TimeUnit.SECONDS.toNanos(START_SECONDS);
    while (true) {
      try (Socket socket = new Socket(InetAddress.getLoopbackAddress(), port)) {
        return;
      } catch (IOException e) {
        if (!server.isAlive() || System.nanoTime() > until) {
          throw new IOException(
              "sshd did not start: "
                  + new String(server.getInputStream().readAllBytes(), StandardCharsets.UTF_8),
              e);
        }
        Thread.onSpinWait();
      }
    }
  }

  private static boolean root() {
    return System.getProperty("user.name").equals("root");
  }

  /** Who may log in. */
  public String account() {
    return root() ? ACCOUNT : System.getProperty("user.name");
  }

  /** Whether {@link #PASSWORD} lets in, and not the key alone. */
  public boolean takesPassword() {
    return root();
  }

  /** The private key that lets in, in OpenSSH's form. */
  public String key() throws IOException {
    return Files.readString(dir.resolve("key"));
  }

  public int port() {
    return port;
  }

  /** The host key's fingerprint as the system's own tool tells it. */
  public String fingerprint() throws IOException {
    return exec("ssh-keygen", "-l", "-f", dir + "/host_key.pub").split(" ")[1];
  }

  /** Comes back at the same address with another host key, as a machine that was set up anew. */
  public void setUpAnew() throws IOException {
    stop();
    Files.delete(dir.resolve("host_key"));
    Files.delete(dir.resolve("host_key.pub"));
    run();
  }

  /** Comes back as it was. */
  public void again() throws IOException {
    run();
  }

  private String exec(String... command) throws IOException {
    Process process = new ProcessBuilder(command).redirectErrorStream(true).start();
    process.getOutputStream().close();
    String said = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    try {
      if (process.waitFor() != 0) {
        throw new IOException(command[0] + ": " + said);
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
    return said;
  }

  /** Ends the server and everybody who is logged in. */
  public void stop() {
    List<ProcessHandle> all = server.descendants().toList();
    server.destroyForcibly();
    all.forEach(ProcessHandle::destroyForcibly);
    server.onExit().join();
  }

  /** Ends it and takes its files away. */
  @Override
  public void close() throws IOException {
    stop();
    try (Stream<Path> files = Files.list(dir)) {
      for (Path file : files.toList()) {
        Files.delete(file);
      }
    }
    Files.delete(dir);
  }
}
