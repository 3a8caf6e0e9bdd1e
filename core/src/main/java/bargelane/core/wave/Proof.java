package bargelane.core.wave;

import bargelane.core.lane.Placement;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.Set;

/**
 * What a test cutover proves of a machine: a change of any of it lapses the proof.
 *
 * @param probe what the machine answered to
 * @param offers what its refit added besides what it needed
 */
public record Proof(
    Placement placement,
    int cpus,
    long memoryMib,
    String firmware,
    List<Long> diskBytes,
    ProbePlan probe,
    List<String> offers) {

  /** A proof that was kept without its probe is one of the usual probe, without offers of none. */
  public Proof {
    probe = probe == null ? ProbePlan.USUAL : probe;
    offers = offers == null ? List.of() : offers;
  }

  /** What would be proven by a test now. */
  public static Proof of(
      Placement placement, MachineFacts facts, ProbePlan probe, List<String> offers) {
    return new Proof(
        placement,
        facts.cpus(),
        facts.memoryMib(),
        facts.firmware(),
        facts.disks().stream().map(Inventory.Disk::bytes).toList(),
        probe,
        offers);
  }

  /** The same, of a machine that answered to another probe. */
  public Proof by(ProbePlan answered) {
    return new Proof(placement, cpus, memoryMib, firmware, diskBytes, answered, offers);
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
    if (!placement.keys().equals(now.placement.keys())) {
      changed.add("the keys of its disks");
    }
    if (!placement.zone().equals(now.placement.zone())) {
      changed.add("zone");
    }
    if (!placement.name().equals(now.placement.name())) {
      changed.add("the name at the target");
    }
    if (!placement.licence().equals(now.placement.licence())) {
      changed.add("the licence");
    }
    if (!placement.belonging().project().equals(now.placement.belonging().project())) {
      changed.add("the project");
    }
    if (!placement.belonging().identity().equals(now.placement.belonging().identity())) {
      changed.add("the identity that it runs under");
    }
    if (placement.sockets() != now.placement.sockets()) {
      changed.add("the sockets of its processors");
    }
    if (placement.bootProtection() != now.placement.bootProtection()) {
      changed.add("boot protection");
    }
    if (!placement.carried().equals(now.placement.carried())) {
      changed.add("the disks that are carried");
    }
    if (!Objects.equals(placement.ingress(), now.placement.ingress())) {
      changed.add("what is let in");
    }
    if (cpus != now.cpus || memoryMib != now.memoryMib || !firmware.equals(now.firmware)) {
      changed.add("the machine's hardware");
    }
    if (!diskBytes.equals(now.diskBytes)) {
      changed.add("the machine's disks");
    }
    if (!probe.asksAs(now.probe)) {
      changed.add("the probe");
    }
    if (!Set.copyOf(offers).equals(Set.copyOf(now.offers))) {
      changed.add("what the refit adds");
    }
    return changed;
  }
}
