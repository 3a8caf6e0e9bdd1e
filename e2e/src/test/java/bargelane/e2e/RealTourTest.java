package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.Test;

class RealTourTest {

  @Test
  void theWholeExampleHoldsOnRealMachines() throws IOException, InterruptedException {
    Process tour =
        new ProcessBuilder(
                List.of(
                    Path.of(System.getProperty("java.home"), "bin", "java").toString(),
                    "-XX:+UseSerialGC",
                    "-cp",
                    System.getProperty(
                        "surefire.test.class.path", System.getProperty("java.class.path")),
                    "bargelane.e2e.Tour",
                    "--real"))
            .redirectErrorStream(true)
            .start();
    String output = new String(tour.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    assertEquals(0, tour.waitFor(), output);
    assertTrue(output.strip().matches("(?s).*\ntour: [0-9]+ checks held, 0 failed"), output);
  }
}
