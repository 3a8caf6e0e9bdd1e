package bargelane.standins.store;

import bargelane.blocks.BlockDevice;
import bargelane.standins.Refusal;
import bargelane.standins.store.StoreState.PointRecord;
import bargelane.standins.store.StoreState.SnapshotRecord;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.Closeable;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.locks.ReentrantReadWriteLock;
import java.util.stream.Stream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Volumes, points, snapshots and markers of one platform, in one directory. All state is on disk
 * before a call returns; a platform that does not keep its markers through a crash forgets them,
 * and its snapshots, when it opens a store that was not closed.
 *
 * <p>An instant is taken under the write lock of {@link #instant()}, which every write to a volume
 * holds for reading: no write is half inside. Nothing slow happens under it.
 */
public final class VolumeStore implements Closeable {

  private static final Logger log = LoggerFactory.getLogger(VolumeStore.class);
  private static final ObjectMapper JSON = new ObjectMapper();

  private final Path dir;
  private final int granularity;
  private final StoreState state;
  private final Layers layers;
  private final PointFiles files;
  private final Markers markers;
  private final Map<String, Volume> volumes = new ConcurrentHashMap<>();
  private final Snapshots snapshots;
  private final ReentrantReadWriteLock instant = new ReentrantReadWriteLock(true);
  private final Room room = new Room(this::used);

  private VolumeStore(Path dir, int granularity, StoreState state) {
    this.dir = dir;
    this.granularity = granularity;
    this.state = state;
    this.layers = new Layers(dir.resolve("layers"), state, instant, this::save);
    this.files = new PointFiles(dir.resolve("points"));
    this.markers =
        new Markers(dir.resolve("markers"), granularity, state, volumes::get, this::save);
    this.snapshots = new Snapshots(this, dir.resolve("snapshots"), state, this::save);
  }

  /** Opens or makes the store in a directory. */
  public static VolumeStore open(Path dir, int granularity, boolean markersSurviveCrash)
      throws IOException {
    Files.createDirectories(dir.resolve("layers"));
    Files.createDirectories(dir.resolve("markers"));
    Files.createDirectories(dir.resolve("snapshots"));
    Files.createDirectories(dir.resolve("points"));
    Path file = dir.resolve("store.json");
    StoreState state =
        Files.exists(file) ? JSON.readValue(file.toFile(), StoreState.class) : new StoreState();
    VolumeStore store = new VolumeStore(dir, granularity, state);
    store.load(Files.exists(dir.resolve("open")) && !markersSurviveCrash);
    Files.write(dir.resolve("open"), new byte[0]);
    return store;
  }

  private void load(boolean forget) throws IOException {
    layers.load();
    for (VolumeRecord record : state.volumes.values()) {
      if (described(record.name())) {
        continue;
      }
      volumes.put(
          record.name(), new Volume(this, record, layers.get(state.tops.get(record.name()))));
    }
    if (forget) {
      log.warn(
          "this platform was killed: {} markers and {} snapshots are lost",
          state.markers.size(),
          state.snapshots.size());
      state.markers.clear();
      state.markerOwners.clear();
      state.snapshots.clear();
      clear(dir.resolve("markers"));
      clear(dir.resolve("snapshots"));
    }
    for (Map.Entry<String, java.util.Set<String>> e : state.markers.entrySet()) {
      for (String name : e.getValue()) {
        Volume volume = volumes.get(name);
        markers.open(e.getKey(), volume);
      }
    }
    snapshots.load();
    layers.tidy();
    save();
  }

  static void clear(Path dir) throws IOException {
    try (Stream<Path> all = Files.walk(dir)) {
      for (Path path : all.sorted(java.util.Comparator.reverseOrder()).toList()) {
        if (!path.equals(dir)) {
          Files.delete(path);
        }
      }
    }
  }

  private void save() throws IOException {
    Path temporary = dir.resolve("store.json.new");
    JSON.writeValue(temporary.toFile(), state);
    Files.move(
        temporary,
        dir.resolve("store.json"),
        StandardCopyOption.ATOMIC_MOVE,
        StandardCopyOption.REPLACE_EXISTING);
  }

  ReentrantReadWriteLock instant() {
    return instant;
  }

  int granularity() {
    return granularity;
  }

  void warn(String message, Exception cause) {
    log.warn(message, cause);
  }

  /** Lets a change for a key through unless somebody has taken over under a higher epoch. */
  public synchronized void admit(String key, long epoch) throws IOException {
    if (state.admits(key, epoch)) {
      save();
    }
  }

  /** Bounds of room, in bytes; see {@link Room}. */
  public void bounds(long scratch, long data) {
    room.bounds(scratch, data);
  }

  Room room() {
    return room;
  }

  /** Bytes of data in all layers. */
  public long used() {
    return layers.used();
  }

  /** Makes a blank volume. Making the same one again does nothing. */
  public synchronized Volume create(VolumeRecord record) throws IOException {
    Volume known = volumes.get(record.name());
    if (known != null) {
      return known;
    }
    return add(record, layers.fresh(record.size(), Optional.empty()));
  }

  private Volume add(VolumeRecord record, Layer top) throws IOException {
    Volume volume = new Volume(this, record, top);
    state.volumes.put(record.name(), record);
    state.tops.put(record.name(), top.id());
    save();
    volumes.put(record.name(), volume);
    return volume;
  }

  /** Lists volumes whose bytes come later, by {@link #adopt}. */
  public synchronized void describe(Collection<VolumeRecord> records) throws IOException {
    records.forEach(r -> state.volumes.put(r.name(), r));
    save();
  }

  /** Whether a volume is listed and has no bytes yet. */
  public synchronized boolean described(String name) {
    return state.volumes.containsKey(name) && !state.tops.containsKey(name);
  }

  /** Takes a raw image over as the bytes of a described volume; the file is moved away. */
  public synchronized Volume adopt(String name, Path raw) throws IOException {
    VolumeRecord record = state.volumes.get(name);
    return add(record, layers.adopt(raw, record.size()));
  }

  /**
   * Makes a writable volume that begins as a point's volume. Making the same one again does
   * nothing.
   */
  public synchronized Volume clone(VolumeRecord record, String point, String volume)
      throws IOException {
    Volume known = volumes.get(record.name());
    if (known != null) {
      return known;
    }
    String layer = layerOf(point, volume);
    Layer below = layers.get(layer);
    long size = state.layers.get(layer).size();
    return add(
        new VolumeRecord(
            record.name(),
            size,
            record.storageClass(),
            record.owner(),
            record.thick(),
            point(point).keys().getOrDefault(volume, "")),
        layers.fresh(size, Optional.of(below)));
  }

  /** Bytes of a volume as a point holds it. */
  public synchronized long frozenSize(String point, String volume) {
    return state.layers.get(layerOf(point, volume)).size();
  }

  /** A volume by name. */
  public Volume volume(String name) {
    Volume volume = volumes.get(name);
    if (volume == null) {
      throw Refusal.missing("volume " + name);
    }
    return volume;
  }

  /** All volumes. */
  public synchronized Collection<VolumeRecord> volumes() {
    return List.copyOf(state.volumes.values());
  }

  /** Deletes a volume with its markers and snapshots; its points stay. An unknown one is fine. */
  public synchronized void delete(String name) throws IOException {
    Volume volume = volumes.remove(name);
    if (volume == null) {
      return;
    }
    for (SnapshotRecord snapshot : List.copyOf(state.snapshots.values())) {
      if (snapshot.volumes().contains(name)) {
        dropSnapshot(snapshot.name());
      }
    }
    for (String marker : List.copyOf(volume.markers().keySet())) {
      markers.forget(marker, name);
    }
    state.volumes.remove(name);
    state.tops.remove(name);
    save();
    layers.tidy();
  }

  /** Changes who a volume belongs to; the empty owner makes it the platform's own. */
  public synchronized void owner(String name, String owner) throws IOException {
    Volume volume = volume(name);
    record(volume, volume.record().owner(owner));
  }

  /**
   * Notes that a storage system fills a volume from one elsewhere.
   *
   * @param asOf the instant of that one that it holds; empty if it holds no whole one yet, null if
   *     nothing fills it any more
   * @param ended whether the storage system has stopped, and the volume is as it left it
   */
  public synchronized void carried(String name, String asOf, boolean ended) throws IOException {
    Volume volume = volume(name);
    record(volume, volume.record().carried(asOf, ended));
  }

  private void record(Volume volume, VolumeRecord record) throws IOException {
    state.volumes.put(record.name(), record);
    volume.record(record);
    save();
  }

  /** Makes a volume larger. One that is read or tracked at present keeps its size. */
  public synchronized void grow(String name, long bytes) throws IOException {
    Volume volume = volume(name);
    if (bytes <= volume.size()) {
      return;
    }
    if (!volume.snapshots().isEmpty() || !volume.markers().isEmpty()) {
      throw Refusal.conflict("in-use", "volume " + name + " has snapshots or markers");
    }
    instant.writeLock().lock();
    try {
      Layer top = layers.fresh(bytes, Optional.of(volume.top()));
      VolumeRecord record = volume.record().grown(bytes);
      state.volumes.put(name, record);
      state.tops.put(name, top.id());
      volume.top(top);
      volume.record(record);
    } finally {
      instant.writeLock().unlock();
    }
    save();
  }

  /**
   * Freezes volumes into a point at one instant. Freezing the same name again does nothing.
   *
   * @param attachments small files that lie beside the point
   */
  public synchronized void freeze(String name, String owner, Collection<String> names)
      throws IOException {
    if (state.points.containsKey(name)) {
      return;
    }
    Map<String, String> frozen = new LinkedHashMap<>();
    Map<String, String> keys = new LinkedHashMap<>();
    for (String n : names) {
      volume(n).flush();
      keys.put(n, volume(n).record().key());
    }
    instant.writeLock().lock();
    try {
      for (String n : names) {
        Volume volume = volume(n);
        Layer sealed = volume.top();
        Layer fresh = layers.fresh(volume.size(), Optional.of(sealed));
        frozen.put(n, sealed.id());
        volume.top(fresh);
        state.tops.put(n, fresh.id());
      }
      state.points.put(name, new PointRecord(name, owner, frozen, keys));
      save();
    } finally {
      instant.writeLock().unlock();
    }
  }

  /** A point by name. */
  public PointRecord point(String name) {
    PointRecord point = state.points.get(name);
    if (point == null) {
      throw Refusal.missing("point " + name);
    }
    return point;
  }

  /** A read-only device over a volume as a point holds it. */
  public synchronized BlockDevice frozen(String point, String volume) throws IOException {
    String layer = layerOf(point, volume);
    return new FrozenDisk(
        layers, layers.get(layer), state.layers.get(layer).size(), instant.readLock());
  }

  private String layerOf(String point, String volume) {
    String layer = point(point).layers().get(volume);
    if (layer == null) {
      throw Refusal.missing("volume " + volume + " in point " + point);
    }
    return layer;
  }

  /** All points. */
  public synchronized Collection<PointRecord> points() {
    return List.copyOf(state.points.values());
  }

  /**
   * Deletes a point; what only it needed goes, the rest is merged into its neighbour. An unknown
   * one is fine.
   */
  public synchronized void deletePoint(String name) throws IOException {
    if (state.points.remove(name) != null) {
      save();
      files.remove(name);
      layers.tidy();
    }
  }

  /** Lays a small file beside a point. */
  public void attach(String point, String name, byte[] content) throws IOException {
    point(point);
    files.put(point, name, content);
  }

  /** Reads a small file beside a point. */
  public byte[] attachment(String point, String name) throws IOException {
    return files.get(point, name);
  }

  /**
   * Takes volumes at one instant, and begins a marker of the same name on each. Asking again does
   * nothing.
   */
  public synchronized void snapshot(String name, String owner, Collection<String> names)
      throws IOException {
    if (state.snapshots.containsKey(name)) {
      return;
    }
    List<Volume> all = names.stream().map(this::volume).toList();
    instant.writeLock().lock();
    try {
      snapshots.take(name, all);
      for (Volume volume : all) {
        markers.open(name, volume);
      }
    } finally {
      instant.writeLock().unlock();
    }
    state.snapshots.put(name, new SnapshotRecord(name, owner, new LinkedHashSet<>(names)));
    state.markers.put(name, new LinkedHashSet<>(names));
    state.markerOwners.put(name, owner);
    save();
  }

  /** Begins a marker on volumes that nobody writes to at present. Asking again does nothing. */
  public synchronized void mark(String name, String owner, Collection<String> names)
      throws IOException {
    names.forEach(this::volume);
    markers.begin(name, owner, names);
  }

  /** Markers by name, with their volumes. */
  public synchronized Map<String, java.util.Set<String>> markers() {
    return markers.all();
  }

  /** Who began a marker. */
  public synchronized String markerOwner(String name) {
    return markers.owner(name);
  }

  /** Forgets a marker. An unknown one is fine. */
  public synchronized void forgetMarker(String name) throws IOException {
    markers.forget(name);
  }

  /** Snapshots by name. */
  public synchronized Collection<SnapshotRecord> snapshots() {
    return List.copyOf(state.snapshots.values());
  }

  /** One volume's part of a snapshot. */
  public Snapshot snapshot(String name, String volume) {
    return snapshots.part(name, volume);
  }

  /** A read-only device over a snapshot. */
  public BlockDevice view(String snapshot, String volume, Optional<String> since) {
    return snapshot(snapshot, volume).view(since);
  }

  /** Ends a snapshot; its marker stays. An unknown one is fine. */
  public synchronized void dropSnapshot(String name) throws IOException {
    snapshots.drop(name);
  }

  @Override
  public synchronized void close() throws IOException {
    layers.close();
    Files.deleteIfExists(dir.resolve("open"));
  }
}
