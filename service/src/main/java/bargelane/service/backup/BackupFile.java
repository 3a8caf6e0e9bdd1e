package bargelane.service.backup;

import bargelane.service.platform.Json;
import java.io.Closeable;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Instant;
import java.util.HexFormat;
import java.util.Map;
import java.util.Optional;
import java.util.zip.ZipEntry;
import java.util.zip.ZipException;
import java.util.zip.ZipFile;

/** A backup as a file; see docs/formats/backup.md. */
final class BackupFile implements Closeable {

  static final String FORMAT = "bargelane/backup/1";
  static final String DATABASE = "database.dump";
  static final String KEYS = "keys.sealed";
  static final String MANIFEST = "backup.json";

  private static final int LONGEST_MANIFEST = 1 << 20;
  private static final int LONGEST_KEYS = 1 << 20;

  /**
   * What a backup says of itself. It is the file's last part, so that a file that was cut off has
   * none.
   *
   * @param schema version of the database's schema
   * @param rows by table, in the same snapshot that was dumped
   * @param parts by name
   */
  record Manifest(
      String format,
      Instant madeAt,
      String version,
      int schema,
      String installation,
      String server,
      Map<String, Long> rows,
      Map<String, Part> parts) {}

  /** Bytes and SHA-256 (hexadecimal) of a part. */
  record Part(long bytes, String sha256) {}

  private final Path path;
  private final ZipFile zip;
  private final Manifest manifest;

  private BackupFile(Path path, ZipFile zip, Manifest manifest) {
    this.path = path;
    this.zip = zip;
    this.manifest = manifest;
  }

  /**
   * Opens a backup and reads what it says of itself.
   *
   * @throws IOException if it is none, is cut off, or is of a format that is not known
   */
  static BackupFile open(Path path) throws IOException {
    ZipFile zip;
    try {
      zip = new ZipFile(path.toFile());
    } catch (java.nio.file.NoSuchFileException e) {
      throw new IOException("there is no file " + path, e);
    } catch (ZipException e) {
      throw new IOException(
          path + " is no whole backup: it is another kind of file, or was cut off", e);
    }
    try {
      ZipEntry entry = zip.getEntry(MANIFEST);
      if (entry == null) {
        throw new IOException(path + " is no backup of Barge Lane: it has no part " + MANIFEST);
      }
      Manifest manifest;
      try (InputStream in = zip.getInputStream(entry)) {
        String text = new String(in.readNBytes(LONGEST_MANIFEST), StandardCharsets.UTF_8);
        String format = Json.object(text).path("format").asText();
        if (!FORMAT.equals(format)) {
          throw new IOException(
              path + " has the format '" + format + "'; this version reads " + FORMAT);
        }
        manifest = Json.read(text, Manifest.class);
      } catch (RuntimeException e) {
        throw new IOException(path + " says of itself what can't be read: " + e.getMessage(), e);
      }
      return new BackupFile(path, zip, manifest);
    } catch (IOException e) {
      zip.close();
      throw e;
    }
  }

  Manifest manifest() {
    return manifest;
  }

  Optional<byte[]> keys() throws IOException {
    if (!manifest.parts().containsKey(KEYS)) {
      return Optional.empty();
    }
    try (InputStream in = part(KEYS)) {
      return Optional.of(in.readNBytes(LONGEST_KEYS));
    }
  }

  /** The bytes of a part. */
  InputStream part(String name) throws IOException {
    ZipEntry entry = zip.getEntry(name);
    if (entry == null) {
      throw new IOException(path + " lacks its part " + name);
    }
    return zip.getInputStream(entry);
  }

  /**
   * Holds every part against its digest.
   *
   * @throws IOException naming the first that differs
   */
  void check() throws IOException {
    for (Map.Entry<String, Part> one : manifest.parts().entrySet()) {
      MessageDigest digest = sha256();
      long bytes = 0;
      try (InputStream in = part(one.getKey())) {
        byte[] block = new byte[1 << 16];
        for (int n = in.read(block); n >= 0; n = in.read(block)) {
          digest.update(block, 0, n);
          bytes += n;
        }
      } catch (ZipException e) {
        throw damaged(one.getKey(), e);
      }
      if (bytes != one.getValue().bytes()
          || !HexFormat.of().formatHex(digest.digest()).equals(one.getValue().sha256())) {
        throw damaged(one.getKey(), null);
      }
    }
  }

  private IOException damaged(String part, Throwable cause) {
    return new IOException(
        path + " is damaged: its part " + part + " is not what was written; take another backup",
        cause);
  }

  static MessageDigest sha256() {
    try {
      return MessageDigest.getInstance("SHA-256");
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException("every Java platform has SHA-256", e);
    }
  }

  @Override
  public void close() throws IOException {
    zip.close();
  }
}
