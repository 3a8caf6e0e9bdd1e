package bargelane.agent;

import java.io.IOException;
import java.io.Reader;
import java.io.StringWriter;
import java.net.URI;
import java.nio.channels.FileChannel;
import java.nio.channels.FileLock;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.util.Base64;
import java.util.Optional;
import java.util.Properties;

/**
 * Who this agent is and whom it tells: kept in a file that only its account can read.
 *
 * @param agent its id at the service; empty until it is enrolled
 * @param token its secret, made here; the service keeps a digest of it
 */
record Identity(URI service, String pin, String token, String agent) {

  private static final String FILE = "identity";

  Identity {
    if (!"https".equals(service.getScheme()) || service.getHost() == null) {
      throw new IllegalArgumentException("'" + service + "' is not an https address");
    }
    if (!pin.matches("[A-Za-z0-9+/]{43}=")) {
      throw new IllegalArgumentException("'" + pin + "' is not an SHA-256 in Base64");
    }
  }

  /**
   * What to enrol with. It is kept before the service is told, so that a second try after a lost
   * answer is the same agent and not one more.
   */
  static Identity begin(Path dir, String service, String pin) throws IOException {
    Files.createDirectories(dir);
    Optional<Identity> former = read(dir);
    if (former.isPresent()
        && former.get().agent().isEmpty()
        && former.get().service().toString().equals(service)) {
      Identity same = new Identity(URI.create(service), pin, former.get().token(), "");
      same.write(dir);
      return same;
    }
    byte[] secret = new byte[32];
    new SecureRandom().nextBytes(secret);
    Identity fresh;
    try {
      fresh =
          new Identity(
              URI.create(service),
              pin,
              Base64.getUrlEncoder().withoutPadding().encodeToString(secret),
              "");
    } catch (IllegalArgumentException e) {
      throw new IOException(e.getMessage(), e);
    }
    fresh.write(dir);
    return fresh;
  }

  Identity enrolled(Path dir, String id) throws IOException {
    Identity known = new Identity(service, pin, token, id);
    known.write(dir);
    return known;
  }

  /** Who an enrolled agent is. */
  static Identity of(Path dir) throws IOException {
    return read(dir)
        .filter(i -> !i.agent().isEmpty())
        .orElseThrow(
            () -> new IOException("there is no enrolled agent in " + dir + ": enrol it first"));
  }

  private static Optional<Identity> read(Path dir) throws IOException {
    Path file = dir.resolve(FILE);
    if (!Files.exists(file)) {
      return Optional.empty();
    }
    Properties kept = new Properties();
    try (Reader in = Files.newBufferedReader(file)) {
      kept.load(in);
    }
    try {
      return Optional.of(
          new Identity(
              URI.create(kept.getProperty("service", "")),
              kept.getProperty("pin", ""),
              kept.getProperty("token", ""),
              kept.getProperty("agent", "")));
    } catch (IllegalArgumentException e) {
      throw new IOException(file + " is damaged: enrol anew with a new key", e);
    }
  }

  private void write(Path dir) throws IOException {
    Properties kept = new Properties();
    kept.setProperty("service", service.toString());
    kept.setProperty("pin", pin);
    kept.setProperty("token", token);
    kept.setProperty("agent", agent);
    StringWriter text = new StringWriter();
    kept.store(text, null);
    Path fresh = dir.resolve(FILE + ".new");
    Files.deleteIfExists(fresh);
    Files.createFile(
        fresh, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
    Files.writeString(fresh, text.toString());
    Files.move(
        fresh,
        dir.resolve(FILE),
        StandardCopyOption.ATOMIC_MOVE,
        StandardCopyOption.REPLACE_EXISTING);
  }

  /** Held while an agent runs: two with one identity would tell everything twice. */
  static FileLock lock(Path dir) throws IOException {
    FileChannel channel =
        FileChannel.open(dir.resolve("lock"), StandardOpenOption.CREATE, StandardOpenOption.WRITE);
    FileLock lock = channel.tryLock();
    if (lock == null) {
      channel.close();
      throw new IOException("an agent runs from " + dir + " already");
    }
    return lock;
  }
}
