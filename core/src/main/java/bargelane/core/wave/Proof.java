package bargelane.core.wave;

import bargelane.core.lane.Placement;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import java.util.ArrayList;
import java.util.List;

/** What a test cutover proves of a machine: a change of any of it lapses the proof. */
public record Proof(
    Placement placement, int cpus, long memoryMib, String firmware, List<Long> diskBytes) {

  /** What would be proven by a test now. */
  public static Proof of(Placement placement, MachineFacts facts) {
    return new Proof(
        placement,
        facts.cpus(),
        facts.memoryMib(),
        facts.firmware(),
        facts.disks().stream().map(Inventory.Disk::bytes).toList());
  }

  /** What of this differs now, in words; empty if the proof holds. */
  public List<String> lapsedBy(Proof now) {
    List<String> changed = new ArrayList<>();
    if (!placement.size().equals(now.placement.size())) {
      changed.add("size " + placement.size() + " to " + now.placement.size());
    }
    if (!placement.nics().equals(now.placement.nics())) {
      changed.add("networks or addresses");
    }
    if (!placement.storages().equals(now.placement.storages())) {
      changed.add("storage classes");
    }
    if (!placement.zone().equals(now.placement.zone())) {
      changed.add("zone");
    }
    if (cpus != now.cpus || memoryMib != now.memoryMib || !firmware.equals(now.firmware)) {
      changed.add("the machine's hardware");
    }
    if (!diskBytes.equals(now.diskBytes)) {
      changed.add("the machine's disks");
    }
    return changed;
  }
}
