package bargelane.tug;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import ch.qos.logback.classic.LoggerContext;
import ch.qos.logback.classic.util.LogbackMDCAdapter;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.time.ZoneId;
import java.util.List;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.slf4j.Logger;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.ParameterException;

/** Logs in files, in a context of their own. */
class LogsTest {

  @TempDir Path dir;

  private final LoggerContext context = new LoggerContext();

  {
    context.setMDCAdapter(new LogbackMDCAdapter());
  }

  @Test
  void anObjectALineHoldsWhatWasSaid() throws IOException {
    Path file = dir.resolve("a.log");
    Logs.use(context, true, file, 2, 1 << 20);
    Logger log = context.getLogger("bargelane.test");
    log.warn("it has \"two\"\nlines: {}", 7, new IOException("the cause"));
    log.info("and another");
    context.stop();
    List<String> lines = Files.readAllLines(file);
    assertEquals(2, lines.size(), "a line each: " + lines);
    JsonNode first = new ObjectMapper().readTree(lines.get(0));
    assertEquals("WARN", first.path("level").asText());
    assertEquals("it has \"two\"\nlines: 7", first.path("formattedMessage").asText());
    assertEquals("bargelane.test", first.path("loggerName").asText());
    assertEquals("the cause", first.path("throwable").path("message").asText());
    assertTrue(first.path("timestamp").asLong() > 1_700_000_000_000L);
  }

  @Test
  void aFileThatIsLargeIsPackedWithItsDayAndALineIsInOneOfThem() throws Exception {
    Path file = dir.resolve("b.log");
    Logs.use(context, false, file, 2, 2000);
    Logger log = context.getLogger("bargelane.test");
    long until = System.nanoTime() + 20_000_000_000L;
    int lines = 0;
    // Its size is looked at now and then only.
    while (packed().isEmpty() && System.nanoTime() < until) {
      log.info("line {} of many that make the file large", lines++);
      Thread.sleep(2);
    }
    context.stop();
    assertFalse(packed().isEmpty(), lines + " lines");
    assertEquals("b.log." + LocalDate.now(ZoneId.systemDefault()) + ".0.gz", packed().get(0));
    assertTrue(Files.readString(file).isEmpty() || Files.readString(file).contains("of many"));
  }

  private List<String> packed() throws IOException {
    try (Stream<Path> all = Files.list(dir)) {
      return all.map(p -> p.getFileName().toString())
          .filter(n -> n.endsWith(".gz"))
          .sorted()
          .toList();
    }
  }

  /** A program that logs. */
  @Command(name = "one")
  private static final class One {
    @Mixin Logs logs;
  }

  @Test
  void optionsThatCanNotBeAreNamed() {
    for (List<String> wrong :
        List.of(
            List.of("--log", "xml"),
            List.of("--log-days", "0"),
            List.of("--log-days", "many"),
            List.of("--log-file", "/proc/none/x.log"))) {
      One one = new One();
      CommandLine line = new CommandLine(one);
      line.parseArgs(wrong.toArray(String[]::new));
      ParameterException told =
          assertThrows(ParameterException.class, () -> one.logs.open(line.getCommandSpec()));
      assertTrue(told.getMessage().contains(wrong.get(0)), told.getMessage());
    }
  }
}
