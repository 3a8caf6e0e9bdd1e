package bargelane.standins.host;

import java.io.IOException;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.TimeUnit;

/**
 * A host's SSH server, on a port of loopback. It runs as the host's account, which is given a shell
 * in the server's own view of the accounts.
 */
final class DemoSsh {

  private final DemoHost host;
  private final Path dir;
  private Process sshd;
  private int port;

  DemoSsh(DemoHost host, Path dir) {
    this.host = host;
    this.dir = dir;
  }

  /** Starts it, and gives the address of the host through it. */
  String open() throws IOException {
    Path ssh = Files.createDirectories(dir.resolve("ssh"));
    for (String key : List.of("host_key", "key")) {
      if (Files.notExists(ssh.resolve(key))) {
        DemoHost.exec(
            List.of("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", ssh + "/" + key));
      }
    }
    if (port == 0) {
      try (ServerSocket socket = new ServerSocket(0, 1, InetAddress.getLoopbackAddress())) {
        port = socket.getLocalPort();
      }
    }
    Files.copy(
        ssh.resolve("key.pub"),
        ssh.resolve("authorized_keys"),
        StandardCopyOption.REPLACE_EXISTING);
    Files.writeString(
        ssh.resolve("known_hosts"),
        "[127.0.0.1]:" + port + " " + Files.readString(ssh.resolve("host_key.pub")));
    Files.writeString(
        ssh.resolve("sshd.conf"),
        String.join(
            "\n",
            "ListenAddress 127.0.0.1:" + port,
            "HostKey " + ssh + "/host_key",
            "AuthorizedKeysFile " + ssh + "/authorized_keys",
            "PidFile none",
            "StrictModes no",
            "UsePAM no",
            "PasswordAuthentication no",
            "KbdInteractiveAuthentication no",
            ""));
    List<String> server =
        host.as(List.of("/usr/sbin/sshd", "-D", "-E", dir + "/sshd.log", "-f", ssh + "/sshd.conf"));
    if (DemoHost.root()) {
      StringBuilder accounts = new StringBuilder();
      for (String line : Files.readAllLines(Path.of("/etc/passwd"))) {
        String[] fields = line.split(":", -1);
        if (fields[0].equals(host.account)) {
          fields[5] = dir.resolve("home").toString();
          fields[6] = "/bin/sh";
        }
        accounts.append(String.join(":", fields)).append('\n');
      }
      Files.writeString(ssh.resolve("passwd"), accounts);
      DemoHost.exec(List.of("chown", host.account, ssh + "/host_key"));
      Files.writeString(dir.resolve("sshd.log"), "");
      DemoHost.exec(List.of("chown", host.account, dir + "/sshd.log"));
      List<String> whole =
          new ArrayList<>(
              List.of(
                  "unshare", "-m", "sh", "-ec", "mount --bind \"$0\" /etc/passwd; exec \"$@\""));
      whole.add(ssh.resolve("passwd").toString());
      whole.addAll(server);
      server = whole;
    }
    sshd = new ProcessBuilder(server).redirectErrorStream(true).start();
    long until = System.nanoTime() + TimeUnit.SECONDS.toNanos(DemoHost.START_SECONDS);
    while (true) {
      try (Socket socket = new Socket(InetAddress.getLoopbackAddress(), port)) {
        break;
      } catch (IOException e) {
        if (!sshd.isAlive() || System.nanoTime() > until) {
          throw new IOException(
              "sshd did not start: "
                  + new String(sshd.getInputStream().readAllBytes(), StandardCharsets.UTF_8)
                  + Files.readString(dir.resolve("sshd.log")),
              e);
        }
        DemoHost.pause();
      }
    }
    return "qemu+ssh://"
        + host.account
        + "@127.0.0.1:"
        + port
        + "/session?socket="
        + host.socket()
        + "&keyfile="
        + ssh
        + "/key&known_hosts="
        + ssh
        + "/known_hosts";
  }

  /** Kills it and all connections through it. */
  void kill() {
    if (sshd != null) {
      List<ProcessHandle> all = sshd.descendants().toList();
      sshd.destroyForcibly();
      all.forEach(ProcessHandle::destroyForcibly);
      all.forEach(p -> p.onExit().join());
    }
  }
}
