package bargelane.standins;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDigest;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdServer;
import bargelane.blocks.tls.ServerKeys;
import bargelane.standins.store.ReadOnlyDisk;
import bargelane.standins.store.VolumeStore;
import java.io.Closeable;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.SecureRandom;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;

/**
 * Volumes and snapshots offered over NBD: on a Unix socket, or over TLS where an export's
 * unguessable name is the right to use it. Exports do not outlive the platform's process; whoever
 * needs one asks again.
 */
final class Exports implements Closeable {

  /**
   * What is asked for: a volume, of a snapshot or a point if one is named.
   *
   * @param readers fingerprints of the certificates of whom it is for; none for whoever knows it
   */
  record Asked(
      String name,
      String volume,
      String snapshot,
      String since,
      String point,
      boolean write,
      Set<String> readers) {
    Asked {
      snapshot = snapshot == null ? "" : snapshot;
      since = since == null ? "" : since;
      point = point == null ? "" : point;
      readers = readers == null ? Set.of() : readers;
    }
  }

  /** What was given. */
  record Given(String name, String uri, boolean tracksChanges) {}

  private final VolumeStore store;
  private final Host host;
  private final NbdServer server;
  private final Optional<ServerKeys> certificate;
  private final Map<String, String> secrets = new ConcurrentHashMap<>();

  /** Volumes that are written, by the export's name. */
  private final Map<String, String> writers = new ConcurrentHashMap<>();

  private final SecureRandom random = new SecureRandom();

  Exports(VolumeStore store, Host host, Path dir, Path runtime, boolean tls) throws IOException {
    this.store = store;
    this.host = host;
    if (tls) {
      this.certificate =
          Optional.of(
              ServerKeys.selfMade(
                  dir.resolve("disk-server.p12"), host.platform().traits.name(), List.of()));
      this.server = NbdServer.tls(certificate.get());
    } else {
      this.certificate = Optional.empty();
      Files.createDirectories(runtime);
      this.server = NbdServer.unix(runtime.resolve("nbd"));
    }
  }

  synchronized Given open(Asked asked) throws IOException {
    close(asked.name());
    if (asked.write() && writers.containsValue(asked.volume())) {
      throw Refusal.conflict(
          "in-use", "volume " + asked.volume() + " is written through another export");
    }
    BlockDevice device;
    boolean tracks = false;
    if (!asked.point().isEmpty()) {
      device = store.frozen(asked.point(), asked.volume());
    } else if (asked.snapshot().isEmpty()) {
      host.make(List.of(asked.volume()));
      device =
          asked.write() ? store.volume(asked.volume()) : new ReadOnly(store.volume(asked.volume()));
    } else {
      host.make(List.of(asked.volume()));
      Optional<String> since = Optional.of(asked.since()).filter(s -> !s.isEmpty());
      if (since.isPresent()
          && !store.snapshot(asked.snapshot(), asked.volume()).knows(since.get())) {
        throw Refusal.conflict(
            "marker-lost",
            "marker "
                + since.get()
                + " on volume "
                + asked.volume()
                + " is not known: changes since it can't be told");
      }
      if (store.snapshot(asked.snapshot(), asked.volume()).dropped()) {
        throw Refusal.conflict(
            "snapshot-dropped",
            "snapshot " + asked.snapshot() + " was dropped because its scratch room was full");
      }
      tracks = since.isPresent();
      device = store.view(asked.snapshot(), asked.volume(), since);
    }
    String secret = asked.name() + "." + HexFormat.of().formatHex(random.generateSeed(16));
    secrets.put(asked.name(), secret);
    if (asked.write()) {
      writers.put(asked.name(), asked.volume());
    }
    // Who reaches the socket is the socket's directory's to say.
    server.offer(secret, host.faulty(device), certificate.isPresent() ? asked.readers() : Set.of());
    NbdAddress address =
        certificate.isPresent()
            ? new NbdAddress.Tls(
                "127.0.0.1", server.port(), secret, certificate.get().fingerprint())
            : new NbdAddress.Unix(server.socket().orElseThrow(), secret);
    return new Given(asked.name(), address.uri(), tracks);
  }

  /** Revokes; when this returns nobody reads or writes through it. */
  synchronized void close(String name) throws IOException {
    String secret = secrets.remove(name);
    if (secret != null) {
      server.revoke(secret);
      writers.remove(name);
    }
  }

  java.util.Set<String> names() {
    return java.util.Set.copyOf(secrets.keySet());
  }

  @Override
  public void close() throws IOException {
    server.close();
  }

  private static final class ReadOnly extends ReadOnlyDisk {
    private final BlockDevice inner;

    ReadOnly(BlockDevice inner) {
      super("this export");
      this.inner = inner;
    }

    @Override
    public long size() {
      return inner.size();
    }

    @Override
    public void read(long offset, java.nio.ByteBuffer into) throws IOException {
      inner.read(offset, into);
    }

    @Override
    public boolean tellsDigests() {
      return inner.tellsDigests();
    }

    @Override
    public byte[][] digests(BlockDigest by, long offset, long length) throws IOException {
      return inner.digests(by, offset, length);
    }

    @Override
    public boolean knows(Context context) {
      return inner.knows(context);
    }

    @Override
    public java.util.List<Extent> status(Context context, long offset, long length)
        throws IOException {
      return inner.status(context, offset, length);
    }

    @Override
    public void close() {}
  }
}
