package bargelane.standins.store;

import bargelane.standins.Refusal;
import bargelane.standins.store.StoreState.SnapshotRecord;
import java.io.IOException;
import java.nio.file.Path;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;

/** Snapshots by name: each holds what its volumes had at one instant. */
final class Snapshots {

  private final VolumeStore store;
  private final Path dir;
  private final StoreState state;
  private final Layers.Save save;
  private final Map<String, Map<String, Snapshot>> parts = new ConcurrentHashMap<>();

  Snapshots(VolumeStore store, Path dir, StoreState state, Layers.Save save) {
    this.store = store;
    this.dir = dir;
    this.state = state;
    this.save = save;
  }

  private Path directory(String snapshot, Volume volume) {
    return dir.resolve(snapshot + "@" + volume.record().name());
  }

  /** Opens those that are recorded. */
  void load() throws IOException {
    for (SnapshotRecord record : state.snapshots.values()) {
      open(record.name(), record.volumes().stream().map(store::volume).toList(), false);
    }
  }

  /** Takes volumes as they are now; the caller holds the instant and records the snapshot. */
  void take(String name, Collection<Volume> volumes) throws IOException {
    open(name, volumes, true);
  }

  private void open(String name, Collection<Volume> volumes, boolean fresh) throws IOException {
    Map<String, Snapshot> opened = new LinkedHashMap<>();
    for (Volume volume : volumes) {
      Snapshot part = new Snapshot(store, volume, directory(name, volume), fresh);
      opened.put(volume.record().name(), part);
      volume.snapshots().add(part);
    }
    parts.put(name, opened);
  }

  /** One volume's part of a snapshot. */
  Snapshot part(String name, String volume) {
    Snapshot part = parts.getOrDefault(name, Map.of()).get(volume);
    if (part == null) {
      throw Refusal.missing("snapshot " + name + " of volume " + volume);
    }
    return part;
  }

  /** Ends a snapshot. An unknown one is fine. */
  void drop(String name) throws IOException {
    state.snapshots.remove(name);
    save.run();
    Map<String, Snapshot> dropped = parts.remove(name);
    if (dropped != null) {
      for (Snapshot part : dropped.values()) {
        synchronized (part.volume()) {
          part.delete();
        }
      }
    }
  }
}
