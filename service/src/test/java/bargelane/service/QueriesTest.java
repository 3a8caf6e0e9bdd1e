package bargelane.service;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;

/** Whose rows the queries in each room's text name. */
class QueriesTest {

  private static final Path SOURCES = Path.of("src/main/java/bargelane/service");
  private static final Pattern TEXT = Pattern.compile("\"((?:[^\"\\\\]|\\\\.)*)\"");
  private static final Pattern WRITTEN =
      Pattern.compile("(?:^|\\W)(?:update|delete from|insert into|delete)\\s+(\\w+)");

  /** The room of each entity and of each of their tables. */
  private static final Map<String, String> ROOMS = new HashMap<>();

  private static List<Path> files;

  @BeforeAll
  static void read() throws IOException {
    try (Stream<Path> all = Files.walk(SOURCES)) {
      files = all.filter(p -> p.toString().endsWith(".java")).toList();
    }
    for (Path file : files) {
      String name = file.getFileName().toString().replace(".java", "");
      if (name.endsWith("Entity")) {
        ROOMS.put(name, room(file));
        Matcher table =
            Pattern.compile("@Table\\(name = \"(\\w+)\"").matcher(Files.readString(file));
        if (table.find()) {
          ROOMS.put(table.group(1), room(file));
        }
      }
    }
    assertTrue(ROOMS.size() > 60, ROOMS.toString());
  }

  private static String room(Path file) {
    return SOURCES.relativize(file).getName(0).toString();
  }

  @Test
  void aRowIsWrittenByItsOwnRoomOnly() throws IOException {
    List<String> foreign = new ArrayList<>();
    int writes = 0;
    for (Path file : files) {
      Matcher text = TEXT.matcher(Files.readString(file));
      while (text.find()) {
        Matcher written = WRITTEN.matcher(text.group(1));
        while (written.find()) {
          String of = ROOMS.get(written.group(1));
          if (of != null) {
            writes++;
            if (!of.equals(room(file))) {
              foreign.add(file.getFileName() + " writes " + written.group(1) + " of " + of);
            }
          }
        }
      }
    }
    assertEquals(List.of(), foreign);
    assertTrue(writes > 20, writes + " writes found");
  }
}
