package bargelane.sites.libvirt;

import bargelane.sites.Compute;
import bargelane.sites.SiteException;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.JsonNodeFactory;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.function.Supplier;

/**
 * Files and programs of a host, as the account that owns its daemon: what libvirt's interface has
 * no call for (disk servers, layers of images, small files). The host is this machine or one that
 * is reached over SSH; {@link HostProgram} does the work there.
 */
final class HostShell {

  /** How long a look or a small change may take. */
  private static final Duration PATIENCE = Duration.ofMinutes(2);

  /** How long may take what copies the content of images. */
  static final Duration COPYING = Duration.ofHours(6);

  private static final byte[] NONE = new byte[0];

  // errno(3), as Linux numbers them
  private static final int TRY_AGAIN = 11;
  private static final int NO_SPACE = 28;
  private static final int TIMED_OUT = 110;
  private static final int NO_QUOTA = 122;

  /** How a command ended. */
  record Result(int code, String out, String error) {}

  /**
   * What is asked of a file: when it was changed last and its size; and what it takes, in bytes.
   */
  record Stat(String stamp, long takes) {}

  private static final int MOST_READ = 256 * 1024 * 1024;
  private static final JsonNodeFactory JSON = JsonNodeFactory.instance;

  private final String site;
  private final Optional<Ssh> ssh;
  private final Supplier<HostProgram> program;

  /**
   * @param socket the daemon's socket; its owner is who the commands run as when we are root and
   *     the host is this machine
   */
  HostShell(String site, Path socket, Optional<Ssh> ssh) {
    this.site = site;
    this.ssh = ssh;
    this.program =
        () ->
            ssh.map(HostProgram::over)
                .orElseGet(
                    () -> {
                      List<String> prefix = prefix(socket);
                      return HostProgram.here(String.join(" ", prefix), prefix);
                    });
  }

  /**
   * @throws SiteException that may pass if we are root and the daemon's account can't be told: as
   *     root we would leave files that the account can't read
   */
  private List<String> prefix(Path socket) {
    try {
      int self = (Integer) Files.getAttribute(Path.of("/proc/self"), "unix:uid");
      if (self != 0) {
        return List.of();
      }
      int owner = (Integer) Files.getAttribute(socket, "unix:uid");
      int group = (Integer) Files.getAttribute(socket, "unix:gid");
      return owner == 0
          ? List.of()
          : List.of("setpriv", "--reuid=" + owner, "--regid=" + group, "--clear-groups", "--");
    } catch (IOException e) {
      throw new SiteException(
          SiteException.Kind.MAY_PASS,
          "unreachable",
          site + " does not answer: the daemon's socket " + socket + " is not there",
          e);
    }
  }

  private HostProgram.Answer ask(String operation, ObjectNode request, byte[] body) {
    return ask(operation, request, body, PATIENCE);
  }

  private HostProgram.Answer ask(
      String operation, ObjectNode request, byte[] body, Duration limit) {
    HostProgram.Answer answer = program.get().call(site, operation, request, body, limit);
    JsonNode failed = answer.told().path("failed");
    if (!failed.isMissingNode()) {
      int number = answer.told().path("errno").intValue();
      boolean full = number == NO_SPACE || number == NO_QUOTA;
      boolean passes = number == TRY_AGAIN || number == TIMED_OUT;
      throw new SiteException(
          passes ? SiteException.Kind.MAY_PASS : SiteException.Kind.FINAL,
          full ? "no-space" : passes ? "busy" : "host-command",
          site
              + ": "
              + operation
              + " "
              + answer.told().path("file").asText()
              + ": "
              + failed.asText().toLowerCase(Locale.ROOT),
          null);
    }
    return answer;
  }

  private static ArrayNode list(Collection<String> words) {
    ArrayNode list = JSON.arrayNode();
    words.forEach(list::add);
    return list;
  }

  private ObjectNode command(Duration limit, List<String> command) {
    return JSON.objectNode().put("limit", limit.toSeconds()).set("command", list(command));
  }

  private Result ended(HostProgram.Answer answer, Duration limit, List<String> command) {
    if (answer.told().path("late").asBoolean()) {
      throw new SiteException(
          SiteException.Kind.MAY_PASS,
          "host-command",
          site
              + ": "
              + command.get(0)
              + " did not end within "
              + limit.toSeconds()
              + " s and was ended",
          null);
    }
    return new Result(
        answer.told().path("code").intValue(),
        new String(answer.body(), StandardCharsets.UTF_8),
        answer.told().path("error").asText());
  }

  /** Runs a program of the host; how it ended is the caller's. */
  Result run(String... command) {
    return run(PATIENCE, List.of(command));
  }

  private Result run(Duration limit, List<String> command) {
    return ended(ask("run", command(limit, command), NONE, limit), limit, command);
  }

  /** The programs of some that the host lacks. */
  List<String> missing(List<String> programs) {
    ObjectNode request = JSON.objectNode();
    request.set("programs", list(programs));
    List<String> missing = new ArrayList<>();
    ask("missing", request, NONE).told().path("missing").forEach(p -> missing.add(p.asText()));
    return missing;
  }

  // ---- files

  /** A whole file; empty if it is not there. */
  Optional<byte[]> read(String file) {
    return read(file, 0, MOST_READ);
  }

  /**
   * A file's bytes from an offset on, as many as there are up to a number; a negative offset counts
   * from the file's end. What is no regular file is not there.
   */
  Optional<byte[]> read(String file, long from, int most) {
    HostProgram.Answer answer =
        ask("read", JSON.objectNode().put("file", file).put("from", from).put("most", most), NONE);
    return answer.told().path("there").asBoolean() ? Optional.of(answer.body()) : Optional.empty();
  }

  /** The last bytes of a regular file. */
  Optional<byte[]> tail(String file, int most) {
    return read(file, -most, most);
  }

  /**
   * Does what one of all who use a host may do at a time, whichever node of the service they are
   * of.
   *
   * @param lock a file in a directory that is there
   * @throws SiteException of kind may-pass if another does not end within a minute
   */
  void alone(String lock, Runnable what) {
    ask("hold", JSON.objectNode().put("file", lock), NONE);
    try {
      what.run();
    } finally {
      ask("release", JSON.objectNode().put("file", lock), NONE);
    }
  }

  /** Puts a file there, whole and on stable storage, for the account alone. */
  void put(String file, byte[] content) {
    ask("put", JSON.objectNode().put("file", file).put("mode", 0600), content);
  }

  /** Puts a file there that the emulator may read as whoever it runs as. */
  void putReadable(String file, byte[] content) {
    ask("put", JSON.objectNode().put("file", file).put("mode", 0644), content);
  }

  /** The same of what may be packed (gzip, RFC 1952): it is unpacked on the host. */
  void putUnpacked(String file, byte[] content) {
    ask("put", JSON.objectNode().put("file", file).put("mode", 0644).put("unpack", true), content);
  }

  /** Replaces a catalogue if it still has a revision; gives whether it had. */
  boolean replaceCatalogue(String directory, long revision, byte[] content) {
    ObjectNode request = JSON.objectNode().put("directory", directory).put("revision", revision);
    return ask("replace", request, content).told().path("replaced").asBoolean();
  }

  /** Removes files; one that is not there is none. */
  void remove(String... files) {
    remove(List.of(files), List.of(), List.of());
  }

  /** Removes files, all files that begin with something, and whole trees. */
  void remove(List<String> files, List<String> beginnings, List<String> trees) {
    ObjectNode request = JSON.objectNode();
    request.set("files", list(files));
    request.set("beginnings", list(beginnings));
    request.set("trees", list(trees));
    ask("remove", request, NONE);
  }

  /** Makes a directory; it fails if we may not write there. */
  void directory(String directory) {
    ask("directory", JSON.objectNode().put("directory", directory), NONE);
  }

  /** Makes a directory that one account alone may use. */
  void directory(String directory, int account) {
    ask("directory", JSON.objectNode().put("directory", directory).put("account", account), NONE);
  }

  /**
   * Lets some files be written by who owns them, and others by nobody, which holds against everyone
   * but an administrator. A file that is not there is passed over.
   */
  void writable(Collection<String> files, Collection<String> frozen) {
    if (!files.isEmpty() || !frozen.isEmpty()) {
      ObjectNode request = JSON.objectNode();
      request.set("files", list(files));
      request.set("frozen", list(frozen));
      ask("writable", request, NONE);
    }
  }

  /** What there is to tell of files; those that are not there are left out. */
  Map<String, Stat> stat(List<String> files) {
    ObjectNode request = JSON.objectNode();
    request.set("files", list(files));
    JsonNode told = ask("stat", request, NONE).told().path("stats");
    Map<String, Stat> stats = new LinkedHashMap<>();
    for (int i = 0; i < files.size(); i++) {
      JsonNode s = told.path(i);
      if (s.isObject()) {
        stats.put(
            files.get(i),
            new Stat(
                s.path("changed").asText() + " " + s.path("size").asText(),
                s.path("takes").longValue()));
      }
    }
    return stats;
  }

  /**
   * Makes a file by a program that writes {@code {}}, unless it is there. It is there whole or not
   * at all.
   */
  void make(String file, String... command) {
    ObjectNode request = command(PATIENCE, List.of(command)).put("file", file);
    succeeded(ended(ask("make", request, NONE), PATIENCE, List.of(command)), command[0]);
  }

  // ---- processes that outlive us

  /** Begins a disk server whose socket and process id lie under a path. */
  void serve(String base, List<String> command) {
    ObjectNode request = command(PATIENCE, command).put("base", base);
    succeeded(ended(ask("serve", request, NONE), PATIENCE, command), command.get(0));
  }

  /** Ends a disk server; when this returns it has flushed and let go of its image. */
  void end(String base) {
    ask("end", JSON.objectNode().put("base", base), NONE);
  }

  /** Begins a guard: a process on the host that ends by itself. */
  void guard(String guard, ObjectNode request) {
    ask("guard", request.put("guard", guard), NONE);
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
    return ssh.map(s -> new Compute.WayIn("127.0.0.1", s.nearPort(address, port), false))
        .orElse(new Compute.WayIn(address, port, true));
  }

  /** Runs a program of the host that must succeed, and gives what it printed. */
  String must(String... command) {
    return must(PATIENCE, command);
  }

  /** Runs a program of the host that must succeed and may take as long as a limit. */
  String must(Duration limit, String... command) {
    return succeeded(run(limit, List.of(command)), command[0]);
  }

  /** What a program said that must have succeeded. */
  String succeeded(Result r, String program) {
    if (r.code != 0) {
      boolean full = r.error.contains("No space left");
      throw new SiteException(
          r.error.contains("lock") ? SiteException.Kind.MAY_PASS : SiteException.Kind.FINAL,
          full ? "no-space" : "host-command",
          site + ": " + program + ": " + r.error.replace('\n', ' '),
          null);
    }
    return r.out;
  }
}
