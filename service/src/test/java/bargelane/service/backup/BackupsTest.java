package bargelane.service.backup;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.service.platform.TestDatabase;
import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Clock;
import java.util.HashMap;
import java.util.Map;
import java.util.Optional;
import java.util.zip.ZipEntry;
import java.util.zip.ZipFile;
import java.util.zip.ZipOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Backups of a real database, whole and not. */
class BackupsTest {

  private static final Optional<char[]> NONE = Optional.empty();
  private static final Optional<char[]> PASSPHRASE =
      Optional.of("twelve letters or more".toCharArray());

  @TempDir Path dir;

  private static PostgresTools tools(TestDatabase d) {
    return new PostgresTools(d.url, "bargelane", d.password);
  }

  private static String ask(TestDatabase d, String sql) throws SQLException {
    try (Connection c = DriverManager.getConnection(d.url, "bargelane", d.password);
        Statement s = c.createStatement()) {
      if (!s.execute(sql)) {
        return "";
      }
      try (ResultSet r = s.getResultSet()) {
        return r.next() ? r.getString(1) : "";
      }
    }
  }

  private Backups backups(TestDatabase d, String home) throws IOException {
    return new Backups(tools(d), Files.createDirectories(dir.resolve(home)), Clock.systemUTC());
  }

  private static String why(org.junit.jupiter.api.function.Executable call) {
    return assertThrows(IOException.class, call).getMessage();
  }

  /** Texts that a line reader could stumble over. */
  private static void fill(TestDatabase d) throws SQLException {
    ask(
        d,
        "insert into setting (name, value) values ('installation', 'in-1'), ('a', E'\\\\.\\n\\\\.'),"
            + " ('b', repeat('COPY public.setting (name) FROM stdin;' || chr(10), 500))");
  }

  @Test
  void aDatabaseComesBackWholeWithItsKeys() throws Exception {
    try (TestDatabase from = TestDatabase.apart();
        TestDatabase to = TestDatabase.apart()) {
      fill(from);
      byte[] key = new byte[32];
      key[0] = 7;
      Files.createDirectories(dir.resolve("from"));
      Files.write(dir.resolve("from/master-key"), key);
      Path file = dir.resolve("b.zip");
      Backups.Told made = backups(from, "from").create(file, PASSPHRASE, "1");
      assertEquals("rw-------", PosixFilePermissions.toString(Files.getPosixFilePermissions(file)));
      assertEquals(made, Backups.verify(file, PASSPHRASE));
      assertTrue(made.keys());
      assertTrue(
          why(() -> Backups.verify(file, Optional.of("another one altogether".toCharArray())))
              .contains("passphrase"));
      assertTrue(why(() -> backups(from, "from").create(file, NONE, "1")).contains("another name"));

      // Never over what is there.
      assertTrue(why(() -> backups(to, "to").restore(file, NONE, 999)).contains("already"));
      assertEquals("0", ask(to, "select count(*) from setting"));
      ask(to, "drop schema public cascade; create schema public");
      assertTrue(why(() -> backups(to, "to").restore(file, NONE, 1)).contains("newer version"));
      backups(to, "to").restore(file, PASSPHRASE, 999);
      assertArrayEquals(key, Files.readAllBytes(dir.resolve("to/master-key")));
      assertEquals(
          ask(from, "select md5(string_agg(value, ',' order by name)) from setting"),
          ask(
              to,
              "select md5(string_agg(value, ',' order by name)) from setting where name <> 'restored'"));
      assertEquals(
          made.madeAt().toString(), ask(to, "select value from setting where name = 'restored'"));
      // The table of the audit still refuses changes.
      assertEquals("2", ask(to, "select count(*) from pg_trigger where tgname like 'audit%'"));
    }
  }

  @Test
  void aBackupThatIsNotWholeIsRefusedAndChangesNothing() throws Exception {
    try (TestDatabase from = TestDatabase.apart();
        TestDatabase to = TestDatabase.apart()) {
      fill(from);
      Path file = dir.resolve("b.zip");
      backups(from, "from").create(file, NONE, "1");
      ask(to, "drop schema public cascade; create schema public");
      byte[] bytes = Files.readAllBytes(file);

      Path cut = Files.write(dir.resolve("cut.zip"), java.util.Arrays.copyOf(bytes, 2000));
      assertTrue(why(() -> Backups.verify(cut, NONE)).contains("no whole backup"));
      byte[] flipped = bytes.clone();
      flipped[bytes.length / 2] ^= 1;
      Path damaged = Files.write(dir.resolve("damaged.zip"), flipped);
      assertTrue(why(() -> Backups.verify(damaged, NONE)).contains("damaged"));
      assertTrue(why(() -> backups(to, "to").restore(damaged, NONE, 999)).contains("damaged"));
      assertTrue(why(() -> Backups.verify(file, PASSPHRASE)).contains("holds no keys"));
      Path text = Files.writeString(dir.resolve("text.zip"), "not a backup");
      assertTrue(why(() -> Backups.verify(text, NONE)).contains("no whole backup"));
      Path other = rewritten(file, "other.zip", "bargelane/backup/1", "bargelane/backup/9");
      assertTrue(why(() -> Backups.verify(other, NONE)).contains("bargelane/backup/9"));
      Path fewer = rewritten(file, "fewer.zip", "\"setting\":3", "\"setting\":4");
      assertTrue(why(() -> Backups.verify(fewer, NONE)).contains("setting has 3 of 4"));
      assertEquals("0", ask(to, "select count(*) from pg_tables where schemaname = 'public'"));
    }
  }

  /** A dump whose statements fail in the middle leaves nothing. */
  @Test
  void aRestoreIsWholeOrNotAtAll() throws Exception {
    try (TestDatabase from = TestDatabase.apart();
        TestDatabase to = TestDatabase.apart()) {
      fill(from);
      Path file = dir.resolve("b.zip");
      backups(from, "from").create(file, NONE, "1");
      ask(
          to,
          "drop schema public cascade; create schema public; create type public.run as (a int)");
      String said = why(() -> backups(to, "to").restore(file, NONE, 999));
      assertTrue(said.contains("psql failed"), said);
      assertEquals("0", ask(to, "select count(*) from pg_tables where schemaname = 'public'"));
    }
  }

  private Path rewritten(Path from, String name, String old, String fresh) throws IOException {
    Path to = dir.resolve(name);
    try (ZipFile zip = new ZipFile(from.toFile());
        OutputStream out = Files.newOutputStream(to, StandardOpenOption.CREATE_NEW);
        ZipOutputStream copy = new ZipOutputStream(out)) {
      for (ZipEntry e : java.util.Collections.list(zip.entries())) {
        byte[] bytes = zip.getInputStream(e).readAllBytes();
        if (e.getName().equals("backup.json")) {
          String text = new String(bytes, StandardCharsets.UTF_8);
          assertTrue(text.contains(old), text);
          bytes = text.replace(old, fresh).getBytes(StandardCharsets.UTF_8);
        }
        copy.putNextEntry(new ZipEntry(e.getName()));
        copy.write(bytes);
        copy.closeEntry();
      }
    }
    return to;
  }

  @Test
  void rowsAreCountedWhateverIsInThem() throws IOException {
    String script =
        "SET x;\nCOPY public.run (id, title) FROM stdin;\na\tCOPY public.run (id) FROM stdin;\nb\t\\\\.\n"
            + "x".repeat(10_000)
            + "\n\\.\n\nCOPY public.\"setting\" (name) FROM stdin;\n\\.\nCOPY public.step (a) FROM stdin;\n\\N\n\\.\n";
    Map<String, Long> rows = new HashMap<>();
    CopiedRows.count(new ByteArrayInputStream(script.getBytes(StandardCharsets.UTF_8)), rows);
    assertEquals(Map.of("run", 3L, "step", 1L), rows);
  }

  @Test
  void keysOfAnotherInstallationAreNotWrittenOver() throws IOException {
    Files.writeString(dir.resolve("master-key"), "this is the key of this one here");
    byte[] sealed = SealedKeys.seal(dir, PASSPHRASE.get());
    assertFalse(new String(sealed, StandardCharsets.ISO_8859_1).contains("this is the key"));
    Map<String, byte[]> opened = SealedKeys.open(sealed, PASSPHRASE.get());
    SealedKeys.place(opened, dir);
    Path other = Files.createDirectories(dir.resolve("other"));
    Files.writeString(other.resolve("master-key"), "something else");
    assertTrue(why(() -> SealedKeys.place(opened, other)).contains("another one"));
    assertEquals("something else", Files.readString(other.resolve("master-key")));
    assertTrue(why(() -> SealedKeys.seal(dir, "short".toCharArray())).contains("too short"));
  }
}
