package bargelane.sites.libvirt;

import bargelane.sites.SiteException;
import java.io.File;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;

/**
 * The way to a host over SSH, with the system's own client: one connection that all commands share
 * and that brings the host's sockets near. Who we are and which host keys are right is the client's
 * own matter; it is never asked to accept an unknown key.
 *
 * <p>The shared connection outlives us by {@link #PERSIST_SECONDS}, so that a restart finds it.
 * When it breaks, what was brought near is gone with it and is brought near again by the next call.
 */
final class Ssh {

  /** Exit code of the client when the connection and not the command failed (ssh(1)). */
  private static final int CONNECTION_FAILED = 255;

  /** Codes of failures that somebody has to mend. */
  static final String HOST_KEY = "host-key-unknown";

  static final String LOGIN_REFUSED = "login-refused";

  private static final int PERSIST_SECONDS = 600;
  private static final int PORT_TRIES = 5;
  private static final int PATIENCE_SECONDS = 60;

  /**
   * Who and where.
   *
   * @param user empty for the client's own choice
   * @param port 0 for the client's own choice
   * @param keyFile private key; empty for the client's own choice
   * @param knownHosts file of host keys; empty for the client's own
   */
  record Address(String user, String host, int port, String keyFile, String knownHosts) {}

  private final String site;
  private final Address address;
  private final Path near;
  private final Map<String, Integer> ports = new ConcurrentHashMap<>();

  Ssh(String site, Address address) {
    this.site = site;
    this.address = address;
    this.near = directory();
  }

  /** A directory of this account's for the near ends of sockets, with a short path. */
  private static Path directory() {
    Path dir = Path.of("/tmp", "bargelane-ssh-" + System.getProperty("user.name"));
    try {
      Files.createDirectories(
          dir, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rwx------")));
      boolean ours = Files.getOwner(dir).equals(Files.getOwner(Path.of("/proc/self")));
      boolean closed =
          PosixFilePermissions.toString(Files.getPosixFilePermissions(dir)).equals("rwx------");
      if (!ours || !closed || Files.isSymbolicLink(dir)) {
        throw new IllegalArgumentException(
            dir + " is not a directory that only this account can enter: remove it");
      }
      return dir;
    } catch (IOException e) {
      throw new IllegalArgumentException(dir + " can't be made: " + e.getMessage(), e);
    }
  }

  private List<String> client() {
    List<String> words = new ArrayList<>(List.of("ssh", "-T", "-e", "none"));
    List<String> options =
        new ArrayList<>(
            List.of(
                "BatchMode=yes",
                "StrictHostKeyChecking=yes",
                "ConnectTimeout=10",
                "ServerAliveInterval=5",
                "ServerAliveCountMax=3",
                "StreamLocalBindUnlink=yes",
                "ControlMaster=auto",
                "ControlPersist=" + PERSIST_SECONDS,
                "ControlPath=" + near + "/%C" + Names.brief(address.toString()).substring(0, 8)));
    if (!address.knownHosts.isEmpty()) {
      options.add("UserKnownHostsFile=" + address.knownHosts);
    }
    if (!address.keyFile.isEmpty()) {
      options.add("IdentitiesOnly=yes");
      options.add("IdentityFile=" + address.keyFile);
    }
    for (String option : options) {
      words.add("-o");
      words.add(option);
    }
    if (!address.user.isEmpty()) {
      words.addAll(List.of("-l", address.user));
    }
    if (address.port > 0) {
      words.addAll(List.of("-p", String.valueOf(address.port)));
    }
    return words;
  }

  /** The command line that runs a command on the host; its words reach it as they are. */
  List<String> command(List<String> words) {
    List<String> whole = client();
    whole.add("--");
    whole.add(address.host);
    words.forEach(w -> whole.add("'" + w.replace("'", "'\\''") + "'"));
    return whole;
  }

  /** What it means that the client ended as it did, if it was the connection that failed. */
  void check(HostShell.Result result) {
    if (result.code() == CONNECTION_FAILED) {
      String why = result.error();
      String code =
          why.contains("Host key verification failed") || why.contains("IDENTIFICATION HAS CHANGED")
              ? HOST_KEY
              : why.contains("Permission denied") ? LOGIN_REFUSED : "unreachable";
      throw new SiteException(
          code.equals("unreachable") ? SiteException.Kind.MAY_PASS : SiteException.Kind.FINAL,
          code,
          site + " can't be reached over SSH: " + why.replace('\n', ' '),
          null);
    }
  }

  /** What names the host and the account there. */
  String key() {
    return address.toString();
  }

  private HostShell.Result ask(String request, String forward) {
    List<String> whole = client();
    whole.addAll(List.of("-O", request, "-L", forward, "--", address.host));
    return execute(whole);
  }

  /** Runs the client for what concerns the shared connection alone, and is soon done. */
  private HostShell.Result execute(List<String> command) {
    Process process = null;
    try {
      process =
          new ProcessBuilder(command)
              .redirectInput(ProcessBuilder.Redirect.from(new File("/dev/null")))
              .redirectOutput(ProcessBuilder.Redirect.DISCARD)
              .start();
      if (!process.waitFor(PATIENCE_SECONDS, TimeUnit.SECONDS)) {
        return new HostShell.Result(
            CONNECTION_FAILED, "", "no answer within " + PATIENCE_SECONDS + " s");
      }
      // The shared connection may hold the other end: what is there by now is what was said.
      InputStream error = process.getErrorStream();
      String told = new String(error.readNBytes(error.available()), StandardCharsets.UTF_8);
      return new HostShell.Result(process.exitValue(), "", told.strip());
    } catch (IOException e) {
      throw new SiteException(
          SiteException.Kind.MAY_PASS,
          "host-command",
          site + ": ssh can't be run: " + e.getMessage(),
          e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new SiteException(
          SiteException.Kind.MAY_PASS, "interrupted", site + ": ssh was interrupted", e);
    } finally {
      if (process != null) {
        process.destroyForcibly();
      }
    }
  }

  /** Has the shared connection forward something, opening it first if need be. */
  private boolean forward(String what) {
    HostShell.Result result = ask("forward", what);
    if (result.code() != 0) {
      HostShell.Result opened = execute(command(List.of("true")));
      check(opened);
      result = ask("forward", what);
    }
    return result.code() == 0;
  }

  private Path nearOf(String socket) {
    return near.resolve(Names.brief(address + " " + socket) + ".sock");
  }

  /** Brings a socket of the host near; gives its path here. */
  String near(String socket) {
    Path here = nearOf(socket);
    // Its file may be left of a connection that broke: then it is made anew.
    ask("cancel", here + ":" + socket);
    if (!forward(here + ":" + socket)) {
      throw new SiteException(
          SiteException.Kind.MAY_PASS,
          "unreachable",
          site + ": " + socket + " can't be forwarded over SSH",
          null);
    }
    return here.toString();
  }

  /** Lets go of a socket that was brought near. */
  void away(String socket) {
    Path here = nearOf(socket);
    ask("cancel", here + ":" + socket);
    try {
      Files.deleteIfExists(here);
    } catch (IOException e) {
      // Then the next one of its name replaces it.
    }
  }

  /** Brings a port of the host near; gives the port on this machine's loopback. */
  int nearPort(String host, int port) {
    String far = host + ":" + port;
    for (int i = 0; i < PORT_TRIES; i++) {
      int here = ports.computeIfAbsent(far, x -> DomainDefinition.freePort());
      if (forward("127.0.0.1:" + here + ":" + far)) {
        return here;
      }
      ports.remove(far);
    }
    throw new SiteException(
        SiteException.Kind.MAY_PASS,
        "unreachable",
        site + ": port " + far + " can't be forwarded over SSH",
        null);
  }
}
