package bargelane.agent;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.channels.FileLock;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class SpoolTest {

  private static final String LOOK =
      "6f1c2a1e-0000-4000-8000-000000000001 60000 1772452800000 100 5 - - 0 0 7 8";

  @TempDir Path dir;

  private static List<Long> numbers(Spool spool) {
    return spool.oldest(10).stream().map(Spool.Look::number).toList();
  }

  @Test
  void looksOutliveTheAgentUntilTheyAreHeld() throws IOException {
    Spool spool = new Spool(dir);
    for (int i = 0; i < 3; i++) {
      spool.add(LOOK);
    }
    spool = new Spool(dir);
    assertEquals(List.of(1L, 2L, 3L), numbers(spool));
    spool.held(2);
    spool = new Spool(dir);
    assertEquals(List.of(3L), numbers(spool));
    spool.held(3);
    // Nothing is kept any more; numbers go on all the same.
    spool = new Spool(dir);
    spool.add(LOOK);
    assertEquals(List.of(4L), numbers(spool));
  }

  @Test
  void aServiceThatHoldsMoreThanWeKnowOfIsBelieved() throws IOException {
    Spool spool = new Spool(dir);
    spool.add(LOOK);
    spool.held(900);
    spool.add(LOOK);
    assertEquals(List.of(901L), numbers(spool));
  }

  @Test
  void aLineThatWasCutOffIsNotTold() throws IOException {
    Spool spool = new Spool(dir);
    spool.add(LOOK);
    Path file = dir.resolve("looks");
    String torn = Files.readString(file).substring(0, 40);
    Files.writeString(file, torn, StandardOpenOption.APPEND);
    spool = new Spool(dir);
    assertEquals(List.of(1L), numbers(spool));
    spool.add(LOOK);
    assertEquals(List.of(1L, 2L), numbers(new Spool(dir)));
  }

  @Test
  void whatCanNotBeWrittenIsKeptUntilItCan() throws IOException {
    Spool spool = new Spool(dir);
    spool.add(LOOK);
    // A directory in the file's place stands for a disk that takes nothing.
    Path file = dir.resolve("looks");
    Files.delete(file);
    Files.createDirectory(file);
    assertThrows(IOException.class, () -> spool.add(LOOK));
    assertThrows(IOException.class, () -> spool.add(LOOK));
    Files.delete(file);
    spool.add(LOOK);
    assertEquals(List.of(1L, 2L, 3L, 4L), numbers(new Spool(dir)));
  }

  @Test
  void twoWeeksAreKeptAndNoMore() throws IOException {
    StringBuilder many = new StringBuilder();
    for (int i = 1; i <= Spool.MOST; i++) {
      many.append("look ").append(i).append(' ').append(LOOK).append('\n');
    }
    Files.writeString(dir.resolve("looks"), many.toString());
    Spool spool = new Spool(dir);
    spool.add(LOOK);
    assertEquals(Spool.MOST, spool.size());
    assertEquals(2, numbers(spool).get(0));
  }

  @Test
  void anIdentityIsKeptBeforeTheServiceKnowsItAndOneAgentRunsFromIt() throws IOException {
    String pin = "ED1j8PJFBL3M7SLlMxj8wqIf3pgZUAk3/8NBdhlefWA=";
    Identity first = Identity.begin(dir, "https://127.0.0.1:1", pin);
    Identity again = Identity.begin(dir, "https://127.0.0.1:1", pin);
    assertEquals(first.token(), again.token(), "a second try is the same agent");
    assertThrows(IOException.class, () -> Identity.of(dir), "it is not enrolled yet");
    again.enrolled(dir, "ag-1");
    assertEquals("ag-1", Identity.of(dir).agent());
    assertTrue(
        !Identity.begin(dir, "https://127.0.0.1:1", pin).token().equals(first.token()),
        "enrolled anew it is another one");
    assertEquals("rw-------", mode(dir.resolve("identity")));
    try (FileLock lock = Identity.lock(dir)) {
      assertTrue(lock.isValid());
      assertThrows(Exception.class, () -> Identity.lock(dir));
    }
    assertThrows(IOException.class, () -> Identity.begin(dir, "http://127.0.0.1:1", pin));
    Files.writeString(dir.resolve("identity"), "nonsense");
    assertTrue(
        assertThrows(IOException.class, () -> Identity.of(dir)).getMessage().contains("damaged"));
  }

  private static String mode(Path file) throws IOException {
    return java.nio.file.attribute.PosixFilePermissions.toString(
        Files.getPosixFilePermissions(file));
  }
}
