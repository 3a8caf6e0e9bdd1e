package bargelane.sites.libvirt;

import bargelane.sites.SiteException;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.io.BufferedInputStream;
import java.io.ByteArrayOutputStream;
import java.io.EOFException;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.concurrent.BlockingQueue;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.Executors;
import java.util.concurrent.LinkedBlockingQueue;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;
import java.util.function.Consumer;
import java.util.function.UnaryOperator;
import java.util.stream.Stream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Our program on one host: begun over the connection to the host at the first call, shared by all
 * calls, gone with the connection or after {@link #IDLE_MINUTES} without a call. The host needs
 * Python 3 for it and keeps nothing of it. Calls are answered in any order.
 */
final class HostProgram {

  private static final Logger log = LoggerFactory.getLogger(HostProgram.class);
  private static final ObjectMapper JSON = new ObjectMapper();
  private static final Map<String, HostProgram> ALL = new ConcurrentHashMap<>();

  /** Code of a host that lacks the interpreter. */
  static final String PYTHON_MISSING = "python-missing";

  private static final String GREETING = "bargelane/host-program/1";

  /** What a host may print before the greeting: a login's words. */
  private static final int MOST_BEFORE_GREETING = 64 * 1024;

  private static final int MOST_LINE = 16 * 1024 * 1024;
  private static final int MOST_ERROR = 4096;
  private static final long START_SECONDS = 30;
  private static final long ENDING_SECONDS = 5;
  private static final long IDLE_MINUTES = 10;

  /** How long an answer may be late that the host should have given at the call's own limit. */
  private static final Duration LATE = Duration.ofSeconds(30);

  /** Directories of a system's own programs come first: others may not be for everybody. */
  private static final String BEGIN =
      "PATH=/usr/sbin:/usr/bin:/sbin:/bin:$PATH; export PATH; exec python3 -c \"$1\" bargelane-host";

  private static final String BOOTSTRAP =
      "import sys; SOURCE = sys.stdin.buffer.read(int(sys.stdin.buffer.readline()));"
          + " exec(compile(SOURCE, 'bargelane-host', 'exec'))";

  private static final byte[] SOURCE = source();

  private static final ScheduledExecutorService SWEEP =
      Executors.newSingleThreadScheduledExecutor(
          r -> {
            Thread thread = new Thread(r, "host-programs-idle");
            thread.setDaemon(true);
            return thread;
          });

  static {
    SWEEP.scheduleWithFixedDelay(
        () -> ALL.values().forEach(HostProgram::endIfIdle), 1, 1, TimeUnit.MINUTES);
  }

  /** What the host answered: a description, and the bytes that came with it. */
  record Answer(JsonNode told, byte[] body) {}

  private final UnaryOperator<List<String>> connector;
  private final Consumer<HostShell.Result> check;
  private Live live;
  private long lastCall = System.nanoTime();

  private HostProgram(UnaryOperator<List<String>> connector, Consumer<HostShell.Result> check) {
    this.connector = connector;
    this.check = check;
  }

  /**
   * The program on a host.
   *
   * @param key what names the host and the account there
   * @param prefix words before the command on this machine
   */
  static HostProgram here(String key, List<String> prefix) {
    return ALL.computeIfAbsent(
        key,
        k ->
            new HostProgram(
                words -> Stream.concat(prefix.stream(), words.stream()).toList(), r -> {}));
  }

  /** The program on a host that is reached over SSH. */
  static HostProgram over(Ssh ssh) {
    return ALL.computeIfAbsent(ssh.key(), k -> new HostProgram(ssh::command, ssh::check));
  }

  private static byte[] source() {
    try (InputStream in = HostProgram.class.getResourceAsStream("host-program.py")) {
      return in.readAllBytes();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /**
   * Has the host do something.
   *
   * @param site who asks: several sites may be of one host and account
   * @param limit how long it may take; the host itself ends a program at it
   * @throws SiteException of kind may-pass if the connection breaks meanwhile: it may have been
   *     done, or be done still
   */
  Answer call(String site, String operation, ObjectNode request, byte[] body, Duration limit) {
    Live program;
    CompletableFuture<Answer> answer;
    synchronized (this) {
      lastCall = System.nanoTime();
      if (live == null || live.over()) {
        live = null;
        live = begun(site);
      }
      program = live;
      answer = program.send(operation, request, body);
    }
    try {
      return answer.get(limit.plus(LATE).toMillis(), TimeUnit.MILLISECONDS);
    } catch (ExecutionException e) {
      throw gone(site, operation, program, e.getCause());
    } catch (TimeoutException e) {
      program.end();
      throw mayPass(
          site, "host-command", operation + " is not answered; the connection was ended", e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw mayPass(site, "interrupted", operation + " was interrupted", e);
    }
  }

  private Live begun(String site) {
    List<String> words = List.of("sh", "-c", BEGIN, "sh", BOOTSTRAP);
    Live fresh;
    try {
      fresh = new Live(new ProcessBuilder(connector.apply(words)).start());
    } catch (IOException e) {
      throw mayPass(site, "host-command", "our program can't be begun: " + e.getMessage(), e);
    }
    try {
      fresh.greeted.get(START_SECONDS, TimeUnit.SECONDS);
      log.debug("our program runs for {}", site);
      return fresh;
    } catch (ExecutionException e) {
      throw gone(site, "our program", fresh, e.getCause());
    } catch (TimeoutException e) {
      fresh.end();
      throw mayPass(
          site, "unreachable", "our program is not begun within " + START_SECONDS + " s", e);
    } catch (InterruptedException e) {
      fresh.end();
      Thread.currentThread().interrupt();
      throw mayPass(site, "interrupted", "beginning our program was interrupted", e);
    }
  }

  /** Why a program that has ended did so. */
  private SiteException gone(String site, String what, Live program, Throwable cause) {
    HostShell.Result ended = program.ended();
    check.accept(ended);
    if (ended.code() == 127) {
      return new SiteException(
          SiteException.Kind.FINAL,
          PYTHON_MISSING,
          site + " has no python3, which our program needs there: apt-get install python3",
          cause);
    }
    return mayPass(
        site,
        "unreachable",
        what
            + " was cut off: "
            + (ended.error().isEmpty() ? cause.getMessage() : ended.error().replace('\n', ' ')),
        cause);
  }

  private static SiteException mayPass(String site, String code, String why, Throwable cause) {
    return new SiteException(SiteException.Kind.MAY_PASS, code, site + ": " + why, cause);
  }

  private synchronized void endIfIdle() {
    boolean idle = System.nanoTime() - lastCall > TimeUnit.MINUTES.toNanos(IDLE_MINUTES);
    if (live != null && idle && live.pending.isEmpty()) {
      live.end();
      live = null;
    }
  }

  /** One process of it. */
  private static final class Live {

    /** The last of the queue. */
    private static final byte[] END = new byte[0];

    private final Process process;
    private final BlockingQueue<byte[]> queue = new LinkedBlockingQueue<>();
    private final Map<Long, CompletableFuture<Answer>> pending = new ConcurrentHashMap<>();
    final CompletableFuture<Void> greeted = new CompletableFuture<>();
    private final CompletableFuture<String> error = new CompletableFuture<>();
    private long last;
    private volatile boolean over;

    Live(Process process) {
      this.process = process;
      queue.add((SOURCE.length + "\n").getBytes(StandardCharsets.US_ASCII));
      queue.add(SOURCE);
      begin("host-requests", this::requests);
      begin("host-answers", this::answers);
      begin("host-errors", this::errors);
    }

    private static void begin(String name, Runnable what) {
      Thread thread = new Thread(what, name);
      thread.setDaemon(true);
      thread.start();
    }

    boolean over() {
      return over || !process.isAlive();
    }

    /** Writes what is queued; whoever waits for an answer is not held up by a host that stalls. */
    private void requests() {
      try (OutputStream out = process.getOutputStream()) {
        for (byte[] next = queue.take(); next != END; next = queue.take()) {
          out.write(next);
          if (queue.isEmpty()) {
            out.flush();
          }
        }
      } catch (IOException e) {
        log.debug("our program takes no more requests: {}", e.getMessage());
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
      } finally {
        over = true;
      }
    }

    CompletableFuture<Answer> send(String operation, ObjectNode request, byte[] body) {
      CompletableFuture<Answer> answer = new CompletableFuture<>();
      long id = ++last;
      pending.put(id, answer);
      answer.whenComplete((a, e) -> pending.remove(id));
      request.put("op", operation).put("id", id).put("length", body.length);
      ByteArrayOutputStream whole = new ByteArrayOutputStream();
      whole.writeBytes((request + "\n").getBytes(StandardCharsets.UTF_8));
      whole.writeBytes(body);
      queue.add(whole.toByteArray());
      if (over) {
        answer.completeExceptionally(new EOFException("the connection ended"));
      }
      return answer;
    }

    private void answers() {
      IOException why = new EOFException("the connection ended");
      try (InputStream in = new BufferedInputStream(process.getInputStream())) {
        int before = 0;
        String line = line(in);
        while (!line.equals(GREETING)) {
          before += line.length() + 1;
          if (before > MOST_BEFORE_GREETING) {
            throw new IOException("the host prints other things than our program's");
          }
          line = line(in);
        }
        greeted.complete(null);
        while (true) {
          JsonNode told = JSON.readTree(line(in));
          byte[] body = in.readNBytes(told.path("length").intValue());
          if (body.length < told.path("length").intValue()) {
            throw why;
          }
          CompletableFuture<Answer> waiting = pending.get(told.path("id").longValue());
          if (waiting != null) {
            waiting.complete(new Answer(told, body));
          }
        }
      } catch (IOException e) {
        why = e;
      } finally {
        over = true;
        queue.add(END);
        greeted.completeExceptionally(why);
        for (CompletableFuture<Answer> waiting : pending.values()) {
          waiting.completeExceptionally(why);
        }
        ended();
      }
    }

    private static String line(InputStream in) throws IOException {
      ByteArrayOutputStream line = new ByteArrayOutputStream();
      for (int b = in.read(); b != '\n'; b = in.read()) {
        if (b < 0) {
          throw new EOFException("the connection ended");
        }
        if (line.size() == MOST_LINE) {
          throw new IOException("the host prints other things than our program's");
        }
        line.write(b);
      }
      return line.toString(StandardCharsets.UTF_8);
    }

    private void errors() {
      StringBuilder first = new StringBuilder();
      try (InputStream in = process.getErrorStream()) {
        byte[] part = new byte[1024];
        for (int n = in.read(part); n >= 0; n = in.read(part)) {
          if (first.length() < MOST_ERROR) {
            first.append(new String(part, 0, n, StandardCharsets.UTF_8));
          }
        }
      } catch (IOException e) {
        log.debug("what our program printed can't be read: {}", e.getMessage());
      }
      error.complete(first.toString().strip());
    }

    /** How it ended by itself, which it is given a moment for. */
    HostShell.Result ended() {
      String told = "";
      try {
        if (!process.waitFor(ENDING_SECONDS, TimeUnit.SECONDS)) {
          process.destroyForcibly().waitFor(ENDING_SECONDS, TimeUnit.SECONDS);
        }
        told = error.get(ENDING_SECONDS, TimeUnit.SECONDS);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
      } catch (ExecutionException | TimeoutException e) {
        log.debug("something holds what our program prints");
      }
      return new HostShell.Result(process.isAlive() ? -1 : process.exitValue(), "", told);
    }

    void end() {
      over = true;
      queue.add(END);
      process.destroy();
    }
  }
}
