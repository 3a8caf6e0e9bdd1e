package bargelane.e2e;

import com.fasterxml.jackson.databind.JsonNode;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.function.Predicate;

/** How a tour tells what it does, and counts what it checked. */
abstract class Narration {

  private final boolean verbose;
  private int held;
  private int failed;

  Narration(boolean verbose) {
    this.verbose = verbose;
  }

  final void step(int number, String title) {
    System.out.println();
    System.out.println(number + ". " + title);
  }

  final void say(String text) {
    System.out.println("   " + text);
  }

  final void detail(String line) {
    if (verbose) {
      System.out.println("     " + line);
    }
  }

  final void check(String what, boolean holds) {
    if (holds) {
      held++;
    } else {
      failed++;
    }
    System.out.println((holds ? "   [held]   " : "   [FAILED] ") + what);
  }

  /** Prints the sum of all checks and gives how many failed. */
  final int sum() {
    System.out.println();
    System.out.println("tour: " + held + " checks held, " + failed + " failed");
    return failed;
  }

  static String mib(long bytes) {
    return String.format(Locale.ROOT, "%.1f MiB", bytes / 1048576.0);
  }

  static String seconds(double s) {
    return String.format(Locale.ROOT, "%.2f s", s);
  }

  /** Whether something holds of every element; false if there is none. */
  static boolean all(JsonNode array, Predicate<JsonNode> holds) {
    for (JsonNode n : array) {
      if (!holds.test(n)) {
        return false;
      }
    }
    return !array.isEmpty();
  }

  /** How long each step of a run took, those above a second. */
  static String times(JsonNode run) {
    List<String> times = new ArrayList<>();
    for (JsonNode s : run.path("steps")) {
      if (s.path("startedAt").isTextual() && s.path("endedAt").isTextual()) {
        double took =
            Duration.between(
                        Instant.parse(s.path("startedAt").asText()),
                        Instant.parse(s.path("endedAt").asText()))
                    .toMillis()
                / 1000.0;
        if (took >= 1) {
          times.add(s.path("name").asText() + " " + seconds(took));
        }
      }
    }
    return String.join(", ", times);
  }
}
