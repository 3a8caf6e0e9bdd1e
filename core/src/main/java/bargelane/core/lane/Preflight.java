package bargelane.core.lane;

import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Network;
import bargelane.core.site.Inventory.Nic;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;

/**
 * Places machines by a lane's rules, and lists everything that is in the way before anything moves.
 */
public final class Preflight {

  /** One machine's place, as far as it could be decided, and what is in the way. */
  public record Result(MachineFacts machine, Placement placement, List<Finding> findings) {
    public boolean holds() {
      return findings.stream().noneMatch(Finding::blocks);
    }
  }

  private final LanePlan plan;
  private final Inventory target;
  private final Capabilities capabilities;
  private final Set<String> taken = new HashSet<>();

  /**
   * @param target what is at the target now
   * @param ours platform ids at the target that are ours, whose addresses do not count as taken
   */
  public Preflight(LanePlan plan, Inventory target, Capabilities capabilities, Set<String> ours) {
    this.plan = plan;
    this.target = target;
    this.capabilities = capabilities;
    for (MachineFacts m : target.machines()) {
      if (!ours.contains(m.platformId())) {
        m.nics().forEach(n -> taken.add(n.network() + " " + n.address()));
      }
    }
  }

  /** Places machines, in order; each sees the addresses that those before it took. */
  public List<Result> place(
      List<MachineFacts> machines, List<Optional<String>> sizes, Inventory source) {
    List<Result> results = new ArrayList<>();
    for (int i = 0; i < machines.size(); i++) {
      results.add(place(machines.get(i), sizes.get(i), source));
    }
    long more = machines.size();
    Inventory.Quota quota = target.quota();
    if (quota.machinesUsed() + more > quota.machines()) {
      results.replaceAll(
          r ->
              with(
                  r,
                  new Finding(
                      Code.QUOTA_MACHINES,
                      r.machine().name(),
                      "the target's quota is "
                          + quota.machines()
                          + " machines, of which "
                          + quota.machinesUsed()
                          + " are used; this needs "
                          + more
                          + " more",
                      "ask the target's owner for a higher quota",
                      Who.SITE_OWNER)));
    }
    long gib =
        machines.stream().flatMap(m -> m.disks().stream()).mapToLong(Inventory.Disk::bytes).sum()
            >> 30;
    if (quota.volumeGibUsed() + gib > quota.volumeGib()) {
      results.replaceAll(
          r ->
              with(
                  r,
                  new Finding(
                      Code.QUOTA_VOLUMES,
                      r.machine().name(),
                      "the target's quota is "
                          + quota.volumeGib()
                          + " GiB of volumes, of which "
                          + quota.volumeGibUsed()
                          + " are used; this needs "
                          + gib
                          + " more",
                      "ask the target's owner for a higher quota",
                      Who.SITE_OWNER)));
    }
    return results;
  }

  private static Result with(Result r, Finding f) {
    List<Finding> all = new ArrayList<>(r.findings());
    all.add(f);
    return new Result(r.machine(), r.placement(), List.copyOf(all));
  }

  private Result place(MachineFacts machine, Optional<String> size, Inventory source) {
    List<Finding> findings = new ArrayList<>();
    checkSize(machine, size, findings);
    List<PlacedNic> nics = new ArrayList<>();
    for (Nic nic : machine.nics()) {
      nics.add(placeNic(machine, nic, source, findings));
    }
    List<String> storages = new ArrayList<>();
    for (Inventory.Disk disk : machine.disks()) {
      String joined = plan.storages().get(disk.storage());
      if (joined == null) {
        findings.add(
            new Finding(
                Code.STORAGE_NOT_JOINED,
                machine.name() + ", disk " + disk.volume(),
                "storage " + disk.storage() + " is joined to no class of the target",
                "join it: bargelane lane edit LANE --storage " + disk.storage() + "=CLASS",
                Who.ENGINEER));
        storages.add("");
      } else if (target.storage(joined).isEmpty()) {
        findings.add(
            new Finding(
                Code.STORAGE_UNKNOWN,
                machine.name() + ", disk " + disk.volume(),
                "the target has no storage class " + joined,
                "join "
                    + disk.storage()
                    + " to one of "
                    + target.storages().stream().map(Inventory.Storage::id).toList(),
                Who.ENGINEER));
        storages.add("");
      } else {
        storages.add(target.storage(joined).get().id());
      }
    }
    return new Result(
        machine,
        new Placement(size.orElse(""), nics, storages, plan.zone()),
        List.copyOf(findings));
  }

  private void checkSize(MachineFacts machine, Optional<String> size, List<Finding> findings) {
    if (!capabilities.sized()) {
      return;
    }
    if (size.isEmpty()) {
      findings.add(
          new Finding(
              Code.SIZE_NOT_CHOSEN,
              machine.name(),
              "no machine size is chosen",
              "accept an assessment or choose one: bargelane wave size WAVE "
                  + machine.name()
                  + " SIZE",
              Who.ENGINEER));
      return;
    }
    Optional<Inventory.Size> offered = target.size(size.get());
    if (offered.isEmpty()) {
      findings.add(
          new Finding(
              Code.SIZE_NOT_OFFERED,
              machine.name(),
              "the target does not offer size " + size.get(),
              "choose one of " + target.sizes().stream().map(Inventory.Size::id).toList(),
              Who.ENGINEER));
    } else if (offered.get().cpus() < machine.cpus()
        || offered.get().memoryMib() < machine.memoryMib()) {
      findings.add(
          new Finding(
              Code.SIZE_TOO_SMALL,
              machine.name(),
              size.get() + " has fewer processors or less memory than the machine is built with",
              "choose a larger size unless this is meant",
              Who.ENGINEER));
    }
  }

  private PlacedNic placeNic(
      MachineFacts machine, Nic nic, Inventory source, List<Finding> findings) {
    String thing = machine.name() + ", address " + nic.address();
    String joined = plan.networks().get(nic.network());
    if (joined == null) {
      String name = source.network(nic.network()).map(Network::name).orElse(nic.network());
      findings.add(
          new Finding(
              Code.NETWORK_NOT_JOINED,
              thing,
              "network " + name + " is joined to no subnet of the target",
              "join it: bargelane lane edit LANE --network " + nic.network() + "=SUBNET",
              Who.ENGINEER));
      return new PlacedNic("", "", false, nic.mac());
    }
    Optional<Network> subnet = target.network(joined);
    if (subnet.isEmpty()) {
      findings.add(
          new Finding(
              Code.SUBNET_UNKNOWN,
              thing,
              "the target has no subnet " + joined,
              "join "
                  + nic.network()
                  + " to one of "
                  + target.networks().stream().map(Network::id).toList(),
              Who.ENGINEER));
      return new PlacedNic("", "", false, nic.mac());
    }
    Subnet range = Subnet.parse(subnet.get().cidr());
    String id = subnet.get().id();
    if (plan.keepAddresses() && !nic.address().isEmpty() && range.contains(nic.address())) {
      if (!taken.add(id + " " + nic.address())) {
        findings.add(
            new Finding(
                Code.ADDRESS_TAKEN,
                thing,
                "the address is used by another machine in subnet " + id,
                "free it there, or do not keep addresses on this lane",
                Who.ENGINEER));
      }
      return new PlacedNic(id, nic.address(), true, nic.mac());
    }
    Set<String> here = new HashSet<>();
    taken.stream()
        .filter(t -> t.startsWith(id + " "))
        .forEach(t -> here.add(t.substring(id.length() + 1)));
    Optional<String> free = range.free(here);
    if (free.isEmpty()) {
      findings.add(
          new Finding(
              Code.SUBNET_FULL,
              thing,
              "subnet " + id + " (" + subnet.get().cidr() + ") has no free address",
              "join the network to a larger subnet, or free an address there",
              Who.ENGINEER));
      return new PlacedNic(id, "", false, nic.mac());
    }
    taken.add(id + " " + free.get());
    return new PlacedNic(id, free.get(), false, nic.mac());
  }
}
