package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.BufferedReader;
import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;

/** A tour as people start it, in a process of its own, told while it goes. */
final class Tours {

  private Tours() {}

  /**
   * Takes a tour to its end.
   *
   * @param which its class
   */
  static void holds(Class<?> which, String... options) throws IOException, InterruptedException {
    List<String> command =
        new ArrayList<>(
            List.of(
                Path.of(System.getProperty("java.home"), "bin", "java").toString(),
                Harness.shortLived(),
                "-Dbargelane.archives=" + System.getProperty("bargelane.archives"),
                "-cp",
                System.getProperty(
                    "surefire.test.class.path", System.getProperty("java.class.path")),
                which.getName()));
    command.addAll(List.of(options));
    Process tour = new ProcessBuilder(command).redirectErrorStream(true).start();
    try (BufferedReader lines = tour.inputReader()) {
      String last = "";
      StringBuilder failed = new StringBuilder();
      for (String line = lines.readLine(); line != null; line = lines.readLine()) {
        System.out.println("tour> " + line);
        last = line;
        if (line.contains("[FAILED]")) {
          failed.append(line.strip()).append('\n');
        }
      }
      assertEquals(0, tour.waitFor(), failed + last);
      assertTrue(last.matches("tour: [0-9]+ checks held, 0 failed"), last);
    } finally {
      tour.destroy();
    }
  }
}
