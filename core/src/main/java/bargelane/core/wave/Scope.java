package bargelane.core.wave;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * What exactly somebody approves: the machines of a wave, in their ranks, placed as they are
 * planned.
 */
public record Scope(List<Machine> machines) {

  /**
   * A machine of it.
   *
   * @param id in its wave
   * @param proof what a test of it would prove
   */
  public record Machine(String id, String name, int rank, Proof proof) {}

  public Scope {
    machines = List.copyOf(machines);
  }

  /** What of this differs now, in words, machine by machine; empty if it is the same. */
  public List<String> changedIn(Scope now) {
    List<String> changed = new ArrayList<>();
    Map<String, Machine> left = new LinkedHashMap<>();
    now.machines.forEach(m -> left.put(m.id, m));
    for (Machine m : machines) {
      Machine present = left.remove(m.id);
      if (present == null) {
        changed.add(m.name + " is no longer in the wave");
        continue;
      }
      List<String> of = new ArrayList<>();
      if (m.rank != present.rank) {
        of.add("rank " + m.rank + " to " + present.rank);
      }
      of.addAll(m.proof.lapsedBy(present.proof));
      if (!of.isEmpty()) {
        changed.add(m.name + ": " + String.join(", ", of));
      }
    }
    left.values().forEach(m -> changed.add(m.name + " is new in the wave"));
    return changed;
  }
}
