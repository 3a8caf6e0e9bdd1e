package bargelane.service.backup;

import bargelane.service.backup.BackupFile.Manifest;
import bargelane.service.backup.BackupFile.Part;
import bargelane.service.platform.Json;
import java.io.BufferedInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.channels.Channels;
import java.nio.channels.FileChannel;
import java.nio.charset.StandardCharsets;
import java.nio.file.AccessDeniedException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.DigestOutputStream;
import java.security.MessageDigest;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Clock;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.zip.Deflater;
import java.util.zip.ZipEntry;
import java.util.zip.ZipOutputStream;

/** Makes backups of an installation, verifies them, and brings an installation back from one. */
public final class Backups {

  /** The setting that tells a node at its start that its records come from a backup: of when. */
  public static final String RESTORED = "restored";

  /** Held by whoever seals secrets, and alone by whoever changes the key. */
  private static final String KEY_LOCK = "master-key-check";

  private final PostgresTools database;
  private final Path home;
  private final Clock clock;

  /**
   * @param home the service's home, where its keys are
   */
  public Backups(PostgresTools database, Path home, Clock clock) {
    this.database = database;
    this.home = home;
    this.clock = clock;
  }

  /** What a backup holds. */
  public record Told(
      Instant madeAt, String installation, int schema, int tables, long rows, boolean keys) {
    private static Told of(Manifest m) {
      return new Told(
          m.madeAt(),
          m.installation(),
          m.schema(),
          m.rows().size(),
          m.rows().values().stream().mapToLong(r -> r).sum(),
          m.parts().containsKey(BackupFile.KEYS));
    }
  }

  /**
   * Writes a backup of what the database holds at one instant; the service may be running. The file
   * is there when it is whole, and only its owner can read it.
   *
   * @param passphrase seals the keys that are written too; none for no keys
   * @param version of the program
   * @throws IOException if the file is there already, or it can't be made
   */
  public Told create(Path file, Optional<char[]> passphrase, String version) throws IOException {
    if (Files.exists(file)) {
      throw new IOException(file + " is there already: give another name");
    }
    Path part = null;
    boolean whole = false;
    try {
      // A name of its own: two backups at once don't write into each other's.
      part =
          Files.createTempFile(
              file.toAbsolutePath().getParent(),
              file.getFileName() + ".",
              ".new",
              PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
      Manifest manifest;
      try (FileChannel channel = FileChannel.open(part, StandardOpenOption.WRITE)) {
        manifest = write(Channels.newOutputStream(channel), passphrase, version);
        channel.force(true);
      }
      Files.move(part, file, StandardCopyOption.ATOMIC_MOVE);
      try (FileChannel dir = FileChannel.open(file.toAbsolutePath().getParent())) {
        dir.force(true);
      }
      whole = true;
      return Told.of(manifest);
    } catch (SQLException e) {
      throw new IOException("the database can't be read: " + e.getMessage(), e);
    } catch (NoSuchFileException e) {
      throw new IOException("no file can be made in " + file.toAbsolutePath().getParent(), e);
    } catch (AccessDeniedException e) {
      throw new IOException(file.toAbsolutePath().getParent() + " can't be written to", e);
    } catch (IOException e) {
      throw new IOException("no backup is made at " + file + ": " + e.getMessage(), e);
    } finally {
      if (!whole && part != null) {
        Files.deleteIfExists(part);
      }
    }
  }

  private Manifest write(OutputStream out, Optional<char[]> passphrase, String version)
      throws IOException, SQLException {
    Map<String, Part> parts = new TreeMap<>();
    // The stream closes its channel; that is flushed to the disk by whoever opened it.
    ZipOutputStream zip = new ZipOutputStream(out);
    // What pg_dump writes is compressed already.
    zip.setLevel(Deflater.NO_COMPRESSION);
    Manifest manifest;
    try (Connection c = database.connect();
        Statement s = c.createStatement()) {
      // The key is not changed while this lasts; waited for before what is dumped is settled.
      s.execute("select pg_advisory_lock_shared(hashtextextended('" + KEY_LOCK + "', 0))");
      c.setAutoCommit(false);
      s.execute("set transaction isolation level repeatable read read only");
      Map<String, Long> rows = rows(s);
      String snapshot = one(s, "select pg_export_snapshot()");
      Instant now = clock.instant();
      int schema = schema(s);
      String installation =
          one(s, "select coalesce((select value from setting where name = 'installation'), '')");
      String server = one(s, "show server_version");
      try (PostgresTools.Running dump = database.dump(snapshot)) {
        try (InputStream in = dump.process().getInputStream()) {
          parts.put(BackupFile.DATABASE, add(zip, BackupFile.DATABASE, in));
        }
        dump.done();
      }
      if (passphrase.isPresent()) {
        byte[] sealed = SealedKeys.seal(home, passphrase.get());
        parts.put(
            BackupFile.KEYS, add(zip, BackupFile.KEYS, new java.io.ByteArrayInputStream(sealed)));
      }
      manifest =
          new Manifest(BackupFile.FORMAT, now, version, schema, installation, server, rows, parts);
    }
    zip.putNextEntry(new ZipEntry(BackupFile.MANIFEST));
    zip.write(Json.text(manifest).getBytes(StandardCharsets.UTF_8));
    zip.closeEntry();
    zip.finish();
    zip.flush();
    return manifest;
  }

  private static Part add(ZipOutputStream zip, String name, InputStream in) throws IOException {
    MessageDigest digest = BackupFile.sha256();
    zip.putNextEntry(new ZipEntry(name));
    DigestOutputStream out = new DigestOutputStream(zip, digest);
    long bytes = in.transferTo(out);
    zip.closeEntry();
    return new Part(bytes, HexFormat.of().formatHex(digest.digest()));
  }

  private static Map<String, Long> rows(Statement s) throws SQLException, IOException {
    List<String> tables = new ArrayList<>();
    try (ResultSet r =
        s.executeQuery("select tablename from pg_tables where schemaname = 'public' order by 1")) {
      while (r.next()) {
        tables.add(r.getString(1));
      }
    }
    if (!tables.contains("setting")) {
      throw new IOException("the database holds no installation: name that of the service");
    }
    Map<String, Long> rows = new TreeMap<>();
    for (String table : tables) {
      rows.put(table, Long.valueOf(one(s, "select count(*) from \"" + table + "\"")));
    }
    return rows;
  }

  private static int schema(Statement s) throws SQLException {
    return Integer.parseInt(
        one(
            s,
            "select coalesce(max(version::int), 0) from flyway_schema_history where success and version ~ '^[0-9]+$'"));
  }

  private static String one(Statement s, String sql) throws SQLException {
    try (ResultSet r = s.executeQuery(sql)) {
      r.next();
      return r.getString(1);
    }
  }

  /**
   * Reads a whole backup: holds its parts against their digests, has PostgreSQL's own program read
   * every row of the dump and counts them, and opens its keys if the passphrase is given.
   *
   * @throws IOException naming what is wrong with it
   */
  public static Told verify(Path file, Optional<char[]> passphrase) throws IOException {
    try (BackupFile backup = BackupFile.open(file)) {
      backup.check();
      Map<String, Long> found = new TreeMap<>();
      try (PostgresTools.Running script = PostgresTools.script()) {
        Thread feeder = feed(backup, script);
        try (InputStream in = new BufferedInputStream(script.process().getInputStream(), 1 << 16)) {
          CopiedRows.count(in, found);
        }
        script.done();
        join(feeder);
      }
      for (Map.Entry<String, Long> one : backup.manifest().rows().entrySet()) {
        long rows = found.getOrDefault(one.getKey(), 0L);
        if (rows != one.getValue()) {
          throw new IOException(
              file
                  + " lacks rows: "
                  + one.getKey()
                  + " has "
                  + rows
                  + " of "
                  + one.getValue()
                  + "; take another backup");
        }
      }
      if (passphrase.isPresent()) {
        keys(backup, file, passphrase.get());
      }
      return Told.of(backup.manifest());
    }
  }

  private static Map<String, byte[]> keys(BackupFile backup, Path file, char[] passphrase)
      throws IOException {
    byte[] sealed =
        backup
            .keys()
            .orElseThrow(
                () -> new IOException(file + " holds no keys: it was made without a passphrase"));
    return SealedKeys.open(sealed, passphrase);
  }

  /** Gives a program the dump; what it does not want it tells itself. */
  private static Thread feed(BackupFile backup, PostgresTools.Running to) {
    Thread feeder =
        new Thread(
            () -> {
              try (InputStream in = backup.part(BackupFile.DATABASE);
                  OutputStream out = to.process().getOutputStream()) {
                in.transferTo(out);
              } catch (IOException e) {
                // It has ended, and says why.
              }
            },
            "backup");
    feeder.setDaemon(true);
    feeder.start();
    return feeder;
  }

  private static void join(Thread thread) throws IOException {
    try {
      thread.join();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
  }

  /**
   * Brings an installation back into an empty database, wholly or not at all, and its keys into the
   * home. The node that is started next knows that its records are old, and holds back what would
   * change machines until it has seen where they run.
   *
   * @param passphrase opens the keys; none where the master key is put there by hand
   * @param newest version of the schema that this program knows
   */
  public Told restore(Path file, Optional<char[]> passphrase, int newest) throws IOException {
    try (BackupFile backup = BackupFile.open(file)) {
      Manifest m = backup.manifest();
      if (m.schema() > newest) {
        throw new IOException(
            file
                + " is of a newer version (schema "
                + m.schema()
                + ", this one knows "
                + newest
                + "): install that version first");
      }
      backup.check();
      empty();
      if (passphrase.isPresent()) {
        SealedKeys.place(keys(backup, file, passphrase.get()), home);
      }
      try (PostgresTools.Running script = PostgresTools.script();
          PostgresTools.Running statements = database.statements()) {
        Thread feeder = feed(backup, script);
        boolean fed = false;
        IOException broken = null;
        try (OutputStream out = statements.process().getOutputStream()) {
          // Without the last statement nothing of it stays.
          out.write(
              "begin;\nset client_min_messages = warning;\n".getBytes(StandardCharsets.UTF_8));
          script.process().getInputStream().transferTo(out);
          script.done();
          join(feeder);
          out.write(
              ("insert into public.setting (name, value) values ('"
                      + RESTORED
                      + "', '"
                      + m.madeAt()
                      + "') on conflict (name) do update set value = excluded.value;\ncommit;\n")
                  .getBytes(StandardCharsets.UTF_8));
          fed = true;
        } catch (IOException e) {
          broken = e;
        }
        if (!fed) {
          // What it says of itself is nearer to the cause than that it hung up.
          statements.process().getOutputStream().close();
          statements.done();
          throw broken;
        }
        statements.done();
      }
      return Told.of(m);
    } catch (SQLException e) {
      throw new IOException("the database can't be used: " + e.getMessage(), e);
    }
  }

  private void empty() throws SQLException, IOException {
    try (Connection c = database.connect();
        Statement s = c.createStatement()) {
      if (!"0".equals(one(s, "select count(*) from pg_tables where schemaname = 'public'"))) {
        throw new IOException(
            "the database holds an installation already: restore into an empty home, or an empty database");
      }
    }
  }
}
