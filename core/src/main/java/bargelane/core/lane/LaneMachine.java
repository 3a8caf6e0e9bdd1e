package bargelane.core.lane;

import bargelane.core.site.Inventory.MachineFacts;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SortedMap;
import java.util.TreeMap;

/**
 * A machine that goes over a lane.
 *
 * @param id of it here; empty where nothing but lane-wide rules count
 * @param wave the id of its wave; empty where it is in none
 * @param labels those of its platform, of rules and by hand, by their names
 * @param size that is chosen for it at the target
 * @param copied once its disks are copied, and the facts have no others: the place among all that
 *     the machine has, of each, from 0; empty before, where the facts have all of them
 */
public record LaneMachine(
    String id,
    String wave,
    SortedMap<String, String> labels,
    MachineFacts facts,
    Optional<String> size,
    List<Integer> copied) {

  /** A machine with these labels, in whatever order, whose disks are not copied yet. */
  public LaneMachine(
      String id,
      String wave,
      Map<String, String> labels,
      MachineFacts facts,
      Optional<String> size) {
    this(
        id, wave, Collections.unmodifiableSortedMap(new TreeMap<>(labels)), facts, size, List.of());
  }

  /** The same machine whose disks, those of its facts, are copied. */
  public LaneMachine copying(List<Integer> places) {
    return new LaneMachine(id, wave, labels, facts, size, List.copyOf(places));
  }

  /** The place of a disk of the facts among all that the machine has: decisions count so. */
  public int place(int disk) {
    return disk < copied.size() ? copied.get(disk) : disk;
  }
}
