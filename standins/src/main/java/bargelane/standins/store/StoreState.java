package bargelane.standins.store;

import bargelane.standins.Refusal;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.Map;
import java.util.Set;

/** What the store writes to its state file. Sizes are bytes; layers are named by number. */
public final class StoreState {

  /** A layer and the one below it, empty for the lowest. */
  public record LayerRecord(String parent, long size) {}

  /** A point: a layer for each of its volumes, and who made it. */
  public record PointRecord(
      String name, String owner, Map<String, String> layers, Map<String, String> keys) {
    public PointRecord {
      keys = keys == null ? Map.of() : keys;
    }
  }

  /** A snapshot: its volumes, and who made it. */
  public record SnapshotRecord(String name, String owner, Set<String> volumes) {}

  public long nextLayer = 1;
  public Map<String, LayerRecord> layers = new LinkedHashMap<>();
  public Map<String, VolumeRecord> volumes = new LinkedHashMap<>();
  public Map<String, String> tops = new LinkedHashMap<>();
  public Map<String, PointRecord> points = new LinkedHashMap<>();
  public Map<String, SnapshotRecord> snapshots = new LinkedHashMap<>();

  /** Markers: name to volumes. */
  public Map<String, Set<String>> markers = new LinkedHashMap<>();

  /** Owner of each marker. */
  public Map<String, String> markerOwners = new LinkedHashMap<>();

  /** The highest epoch under which anything was changed, by what was worked on. */
  public Map<String, Long> epochs = new LinkedHashMap<>();

  /**
   * Keeps the highest epoch of a key, and refuses a lower one: whoever had it was relieved. Gives
   * whether it has risen.
   */
  boolean admits(String key, long epoch) {
    long seen = epochs.getOrDefault(key, 0L);
    if (epoch < seen) {
      throw Refusal.conflict(
          "stale-epoch", key + " was taken over under epoch " + seen + "; this is " + epoch);
    }
    epochs.put(key, epoch);
    return epoch > seen;
  }

  Set<String> volumesOf(String marker) {
    return markers.getOrDefault(marker, new LinkedHashSet<>());
  }
}
