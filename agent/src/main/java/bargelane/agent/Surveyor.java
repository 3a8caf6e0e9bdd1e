package bargelane.agent;

import bargelane.core.guest.Survey;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;

/** Runs the survey's script (docs/formats/survey.md) on the machine it is on. */
final class Surveyor {

  private static final long LONGEST_SECONDS = 60;
  private static final int LONGEST_ANSWER = 16 << 20;

  private final byte[] script;

  Surveyor() {
    try (InputStream in = Survey.class.getResourceAsStream("survey.sh")) {
      script = in.readAllBytes();
    } catch (IOException e) {
      throw new java.io.UncheckedIOException("the survey's script is not in the program", e);
    }
  }

  /** What the machine tells; {@code part} is {@code all}, {@code counters} or {@code use}. */
  String tell(String part) throws IOException {
    Process sh =
        new ProcessBuilder("/bin/sh", "-s", part)
            .redirectError(ProcessBuilder.Redirect.DISCARD)
            .start();
    // Written beside the reading: the shell may print before it has read all of the script.
    CompletableFuture<Void> given =
        CompletableFuture.runAsync(
            () -> {
              try (OutputStream in = sh.getOutputStream()) {
                in.write(script);
              } catch (IOException e) {
                // The shell has ended; what it printed is judged below.
              }
            });
    CompletableFuture<Void> late =
        new CompletableFuture<Void>()
            .completeOnTimeout(null, LONGEST_SECONDS, TimeUnit.SECONDS)
            .thenRun(
                () -> {
                  sh.descendants().forEach(ProcessHandle::destroyForcibly);
                  sh.destroyForcibly();
                });
    ByteArrayOutputStream told = new ByteArrayOutputStream();
    try (InputStream out = sh.getInputStream()) {
      byte[] block = new byte[1 << 16];
      for (int n = out.read(block); n >= 0; n = out.read(block)) {
        if (told.size() + n > LONGEST_ANSWER) {
          throw new IOException("the survey is longer than " + (LONGEST_ANSWER >> 20) + " MiB");
        }
        told.write(block, 0, n);
      }
      given.join();
      return told.toString(StandardCharsets.UTF_8);
    } finally {
      late.cancel(false);
      sh.destroyForcibly();
    }
  }

  static String hostname() {
    return line("/proc/sys/kernel/hostname");
  }

  /** Differs from one start of the system to another (random(4)). */
  static String bootId() {
    return line("/proc/sys/kernel/random/boot_id");
  }

  /** Milliseconds since the system was started, whatever its clock is set to (proc(5)). */
  static long uptimeMillis() {
    String seconds = line("/proc/uptime").split(" ")[0];
    return seconds.isEmpty() ? 0 : (long) (Double.parseDouble(seconds) * 1000);
  }

  private static String line(String file) {
    try {
      return Files.readString(Path.of(file)).strip();
    } catch (IOException e) {
      return "";
    }
  }
}
