package bargelane.sites.libvirt;

import bargelane.sites.Compute;
import bargelane.sites.SiteException;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.TimeUnit;

/**
 * Runs the emulator's own programs on the host, as the user who owns its daemon: what libvirt's
 * interface has no call for (writable disk servers, layers of images, small files). The host is
 * this machine or one that is reached over SSH.
 */
final class HostShell {

  private static final long PATIENCE_SECONDS = 600;

  /** How a command ended. */
  record Result(int code, String out, String error) {}

  private final String site;
  private final List<String> prefix;
  private final Optional<Ssh> ssh;

  /**
   * @param socket the daemon's socket; its owner is who the commands run as when we are root and
   *     the host is this machine
   */
  HostShell(String site, Path socket, Optional<Ssh> ssh) {
    this.site = site;
    this.ssh = ssh;
    this.prefix = ssh.isPresent() ? List.of() : prefix(socket);
  }

  private static List<String> prefix(Path socket) {
    try {
      int owner = (Integer) Files.getAttribute(socket, "unix:uid");
      int group = (Integer) Files.getAttribute(socket, "unix:gid");
      int self = (Integer) Files.getAttribute(Path.of("/proc/self"), "unix:uid");
      if (owner != self && self == 0) {
        return List.of("setpriv", "--reuid=" + owner, "--regid=" + group, "--clear-groups", "--");
      }
    } catch (IOException e) {
      // The daemon is away: then nothing is run before it is back.
    }
    return List.of();
  }

  /** Runs a command; its failure to start is an exception, how it ended is the caller's. */
  Result run(byte[] input, String... command) {
    if (ssh.isPresent()) {
      Result result = execute(site, input, ssh.get().command(List.of(command)));
      ssh.get().check(result);
      return result;
    }
    List<String> whole = new ArrayList<>(prefix);
    whole.addAll(List.of(command));
    return execute(site, input, whole);
  }

  /** A socket of the host as it can be opened from here. */
  String near(String socket) {
    return ssh.map(s -> s.near(socket)).orElse(socket);
  }

  /** Lets go of a socket that was brought near. */
  void away(String socket) {
    ssh.ifPresent(s -> s.away(socket));
  }

  /** A port of the host's as it can be reached from here. */
  Compute.WayIn nearPort(String address, int port) {
    return ssh.map(s -> new Compute.WayIn("127.0.0.1", s.nearPort(address, port)))
        .orElse(new Compute.WayIn(address, port));
  }

  /** Runs a program of this machine. */
  static Result execute(String site, byte[] input, List<String> command) {
    Process process = null;
    try {
      process = new ProcessBuilder(command).start();
      try (OutputStream in = process.getOutputStream()) {
        in.write(input);
      } catch (IOException e) {
        // It ended without reading all of it: how it ended tells why.
      }
      byte[] out = process.getInputStream().readAllBytes();
      byte[] error = process.getErrorStream().readAllBytes();
      if (!process.waitFor(PATIENCE_SECONDS, TimeUnit.SECONDS)) {
        throw failure(site, command, "did not end within " + PATIENCE_SECONDS + " s");
      }
      return new Result(
          process.exitValue(),
          new String(out, StandardCharsets.UTF_8),
          new String(error, StandardCharsets.UTF_8).strip());
    } catch (IOException e) {
      throw failure(site, command, "could not be run: " + e.getMessage());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw failure(site, command, "was interrupted");
    } finally {
      if (process != null) {
        process.destroy();
      }
    }
  }

  private static SiteException failure(String site, List<String> command, String how) {
    return new SiteException(
        SiteException.Kind.MAY_PASS,
        "host-command",
        site + ": " + command.get(0) + " " + how,
        null);
  }

  /** Runs a command that must succeed, and gives what it printed. */
  String must(String... command) {
    return must(new byte[0], command);
  }

  /** Runs a command that must succeed with some input, and gives what it printed. */
  String must(byte[] input, String... command) {
    Result r = run(input, command);
    if (r.code != 0) {
      boolean full = r.error.contains("No space left");
      throw new SiteException(
          r.error.contains("lock") ? SiteException.Kind.MAY_PASS : SiteException.Kind.FINAL,
          full ? "no-space" : "host-command",
          site + ": " + command[0] + ": " + r.error.replace('\n', ' '),
          null);
    }
    return r.out;
  }

  /** Runs a script of the host's shell with arguments {@code $1}, {@code $2} and so on. */
  String script(String script, String... arguments) {
    return script(new byte[0], script, arguments);
  }

  String script(byte[] input, String script, String... arguments) {
    List<String> command = new ArrayList<>(List.of("sh", "-euc", script, "sh"));
    command.addAll(List.of(arguments));
    return must(input, command.toArray(String[]::new));
  }
}
