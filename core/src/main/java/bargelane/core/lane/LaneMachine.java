package bargelane.core.lane;

import bargelane.core.site.Inventory.MachineFacts;
import java.util.Collections;
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
 */
public record LaneMachine(
    String id,
    String wave,
    SortedMap<String, String> labels,
    MachineFacts facts,
    Optional<String> size) {

  /** A machine with these labels, in whatever order. */
  public LaneMachine(
      String id,
      String wave,
      Map<String, String> labels,
      MachineFacts facts,
      Optional<String> size) {
    this(id, wave, Collections.unmodifiableSortedMap(new TreeMap<>(labels)), facts, size);
  }
}
