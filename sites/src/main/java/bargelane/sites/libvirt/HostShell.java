package bargelane.sites.libvirt;

import bargelane.sites.Compute;
import bargelane.sites.SiteException;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Runs the emulator's own programs on the host, as the user who owns its daemon: what libvirt's
 * interface has no call for (writable disk servers, layers of images, small files). The host is
 * this machine or one that is reached over SSH.
 */
final class HostShell {

  private static final Logger log = LoggerFactory.getLogger(HostShell.class);

  /** How long a look or a small change may take. */
  private static final Duration PATIENCE = Duration.ofMinutes(2);

  /** How long may take what copies the content of images. */
  static final Duration COPYING = Duration.ofHours(6);

  /** How long the rest of what a program printed may take once it has ended. */
  private static final long REST_SECONDS = 30;

  /** What feeds programs and takes in what they print; a thread for each of the three. */
  private static final ExecutorService PUMPS =
      Executors.newCachedThreadPool(
          r -> {
            Thread thread = new Thread(r, "host-command");
            thread.setDaemon(true);
            return thread;
          });

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
    return run(input, PATIENCE, command);
  }

  private Result run(byte[] input, Duration limit, String... command) {
    if (ssh.isPresent()) {
      Result result = execute(site, input, ssh.get().command(List.of(command)), limit);
      ssh.get().check(result);
      return result;
    }
    List<String> whole = new ArrayList<>(prefix);
    whole.addAll(List.of(command));
    return execute(site, input, whole, limit);
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

  /** Runs a program of this machine, for as long as a look or a small change may take. */
  static Result execute(String site, byte[] input, List<String> command) {
    return execute(site, input, command, PATIENCE);
  }

  /**
   * Runs a program of this machine. It is ended at its limit, with whatever it began; input and
   * both outputs flow at once, so that none of them can block the others.
   */
  static Result execute(String site, byte[] input, List<String> command, Duration limit) {
    Process process;
    try {
      process = new ProcessBuilder(command).start();
    } catch (IOException e) {
      throw failure(site, command, "could not be run: " + e.getMessage());
    }
    try {
      CompletableFuture<Void> in = fed(process.getOutputStream(), input);
      CompletableFuture<byte[]> out = drained(process.getInputStream());
      CompletableFuture<byte[]> error = drained(process.getErrorStream());
      if (!process.waitFor(limit.toMillis(), TimeUnit.MILLISECONDS)) {
        throw failure(
            site, command, "did not end within " + limit.toSeconds() + " s and was ended");
      }
      in.get(REST_SECONDS, TimeUnit.SECONDS);
      return new Result(
          process.exitValue(),
          text(out.get(REST_SECONDS, TimeUnit.SECONDS)),
          text(error.get(REST_SECONDS, TimeUnit.SECONDS)).strip());
    } catch (ExecutionException e) {
      throw failure(site, command, "could not be read from: " + e.getCause().getMessage());
    } catch (TimeoutException e) {
      throw failure(site, command, "ended, but something that it began holds its outputs");
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw failure(site, command, "was interrupted");
    } finally {
      process.descendants().forEach(ProcessHandle::destroyForcibly);
      process.destroyForcibly();
    }
  }

  /**
   * Writes a program's input; one that ended without reading all of it tells why by how it ended.
   */
  private static CompletableFuture<Void> fed(OutputStream to, byte[] input) {
    return CompletableFuture.runAsync(
        () -> {
          try (to) {
            to.write(input);
          } catch (IOException e) {
            log.debug("a program did not read its input: {}", e.getMessage());
          }
        },
        PUMPS);
  }

  private static CompletableFuture<byte[]> drained(InputStream from) {
    return CompletableFuture.supplyAsync(
        () -> {
          try (from) {
            return from.readAllBytes();
          } catch (IOException e) {
            throw new UncheckedIOException(e);
          }
        },
        PUMPS);
  }

  private static String text(byte[] bytes) {
    return new String(bytes, StandardCharsets.UTF_8);
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
    return must(input, PATIENCE, command);
  }

  /** Runs a command that must succeed and may take as long as a limit. */
  String must(Duration limit, String... command) {
    return must(new byte[0], limit, command);
  }

  private String must(byte[] input, Duration limit, String... command) {
    Result r = run(input, limit, command);
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
