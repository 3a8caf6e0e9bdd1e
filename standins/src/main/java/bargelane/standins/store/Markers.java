package bargelane.standins.store;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.function.Function;

/** Markers by name: each tracks what is written to its volumes from an instant on. */
final class Markers {

  private final Path dir;
  private final int granularity;
  private final StoreState state;
  private final Function<String, Volume> volumes;
  private final Layers.Save save;

  /**
   * @param volumes a volume by name; null for one that is gone
   */
  Markers(
      Path dir,
      int granularity,
      StoreState state,
      Function<String, Volume> volumes,
      Layers.Save save) {
    this.dir = dir;
    this.granularity = granularity;
    this.state = state;
    this.volumes = volumes;
    this.save = save;
  }

  private Path file(String marker, String volume) {
    return dir.resolve(marker + "@" + volume);
  }

  /** Opens a marker's file for a volume, or makes it. */
  void open(String name, Volume volume) throws IOException {
    Path file = file(name, volume.record().name());
    volume.markers().put(name, new Marker(file, volume.size(), granularity));
  }

  /** Begins a marker on volumes that nobody writes to at present. Asking again does nothing. */
  void begin(String name, String owner, Collection<String> names) throws IOException {
    java.util.Set<String> marked = state.markers.computeIfAbsent(name, k -> new LinkedHashSet<>());
    for (String n : names) {
      Volume volume = volumes.apply(n);
      if (marked.add(n)) {
        volume.markers().put(name, new Marker(file(name, n), volume.size(), granularity));
      }
    }
    state.markerOwners.put(name, owner);
    save.run();
  }

  /** Markers by name, with their volumes. */
  Map<String, java.util.Set<String>> all() {
    return new LinkedHashMap<>(state.markers);
  }

  /** Who began a marker. */
  String owner(String name) {
    return state.markerOwners.getOrDefault(name, "");
  }

  /** Forgets a marker. An unknown one is fine. */
  void forget(String name) throws IOException {
    for (String volume : List.copyOf(state.volumesOf(name))) {
      forget(name, volume);
    }
    state.markers.remove(name);
    state.markerOwners.remove(name);
    save.run();
  }

  void forget(String name, String volumeName) throws IOException {
    Volume volume = volumes.apply(volumeName);
    Marker marker = volume == null ? null : volume.markers().remove(name);
    if (marker != null) {
      marker.delete();
    } else {
      Files.deleteIfExists(file(name, volumeName));
    }
    java.util.Set<String> rest = state.volumesOf(name);
    rest.remove(volumeName);
    if (rest.isEmpty()) {
      state.markers.remove(name);
      state.markerOwners.remove(name);
    }
  }
}
