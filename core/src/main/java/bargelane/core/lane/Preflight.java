package bargelane.core.lane;

import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.net.Address;
import bargelane.core.net.Subnet;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Network;
import bargelane.core.site.Inventory.Nic;
import bargelane.text.Counts;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
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

  private static final long GIB = 1L << 30;

  /** A replica's digests take a part of its size: 32 bytes for each 64 KiB. */
  private static final long DIGESTS = 2048;

  private final LanePlan plan;
  private final Joins joins;
  private final Inventory target;
  private final Capabilities capabilities;
  private final String wave;

  /** Addresses that are used, in canonical form, by network. */
  private final Map<String, Set<String>> taken = new HashMap<>();

  /**
   * @param wave that the machines are of, for what remedies name
   * @param target what the target offers
   * @param used cards that machines of the target's own have there
   */
  public Preflight(
      String wave,
      LanePlan plan,
      Joins joins,
      Inventory target,
      Capabilities capabilities,
      Collection<Nic> used) {
    this.wave = wave;
    this.plan = plan;
    this.joins = joins;
    this.target = target;
    this.capabilities = capabilities;
    used.forEach(n -> take(n.network(), n.address()));
  }

  /** Whether an address was free and is now taken; one that can't be read is never taken. */
  private boolean take(String network, String address) {
    return Address.canonical(address)
        .map(a -> taken.computeIfAbsent(network, n -> new HashSet<>()).add(a))
        .orElse(true);
  }

  /** Places machines, in order; each sees the addresses that those before it took. */
  public List<Result> place(List<MachineFacts> machines, List<Optional<String>> sizes) {
    List<Result> results = new ArrayList<>();
    for (int i = 0; i < machines.size(); i++) {
      results.add(place(machines.get(i), sizes.get(i)));
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
                          + Counts.of(quota.machines(), "machine")
                          + ", of which "
                          + quota.machinesUsed()
                          + " are used; this needs "
                          + more
                          + " more",
                      "ask the target's owner for a higher quota",
                      Who.SITE_OWNER)));
    }
    long bytes =
        machines.stream().flatMap(m -> m.disks().stream()).mapToLong(Inventory.Disk::bytes).sum();
    long gib = (bytes + bytes / DIGESTS + GIB - 1) / GIB;
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

  private Result place(MachineFacts machine, Optional<String> size) {
    List<Finding> findings = new ArrayList<>();
    checkSize(machine, size, findings);
    if (!capabilities.starts(machine.firmware())) {
      findings.add(
          new Finding(
              Code.FIRMWARE_NOT_OFFERED,
              machine.name(),
              "it is started by "
                  + machine.firmware().toUpperCase(Locale.ROOT)
                  + ", and the target has no such firmware",
              "have it installed there (Debian: ovmf for UEFI), and check the site again",
              Who.SITE_OWNER));
    }
    List<PlacedNic> nics = new ArrayList<>();
    for (Nic nic : machine.nics()) {
      nics.add(placeNic(machine, nic, findings));
    }
    List<String> storages = new ArrayList<>();
    for (Inventory.Disk disk : machine.disks()) {
      Joins.Joined<Inventory.Storage> joined =
          joins.storage(disk.storage(), machine.name() + ", disk " + disk.volume());
      joined.finding().ifPresent(findings::add);
      storages.add(joined.to().map(Inventory.Storage::id).orElse(""));
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
              Remedy.of(
                  "accept an assessment, or choose one", Action.WAVE_SIZE, wave, machine.name()),
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

  private PlacedNic placeNic(MachineFacts machine, Nic nic, List<Finding> findings) {
    String thing =
        machine.name()
            + (nic.address().isEmpty()
                ? ", card on network " + nic.network()
                : ", address " + nic.address());
    Joins.Joined<Network> joined = joins.network(nic.network(), thing);
    joined.finding().ifPresent(findings::add);
    if (joined.to().isEmpty()) {
      return new PlacedNic("", "", false, nic.mac());
    }
    Network subnet = joined.to().get();
    Optional<Subnet> range = Subnet.of(subnet.cidr());
    if (range.isEmpty()) {
      findings.add(
          new Finding(
              Code.SUBNET_RANGE_UNKNOWN,
              thing,
              "the platform gives no range for subnet "
                  + subnet.id()
                  + ": whether an address fits there can't be checked, and none can be chosen",
              "see that "
                  + (plan.keepAddresses() && !nic.address().isEmpty()
                      ? nic.address() + " is good there"
                      : "the guest gets an address there"),
              Who.ENGINEER));
    }
    boolean keep =
        plan.keepAddresses()
            && Address.valid(nic.address())
            && range.map(r -> r.contains(nic.address())).orElse(true);
    if (keep) {
      if (!take(subnet.id(), nic.address())) {
        findings.add(
            new Finding(
                Code.ADDRESS_TAKEN,
                thing,
                "the address is used by another machine in subnet " + subnet.id(),
                "free it there, or do not keep addresses on this lane",
                Who.ENGINEER));
      }
      return new PlacedNic(subnet.id(), nic.address(), true, nic.mac());
    }
    if (range.isEmpty()) {
      return new PlacedNic(subnet.id(), "", false, nic.mac());
    }
    Optional<String> free = range.get().free(taken.getOrDefault(subnet.id(), Set.of()));
    if (free.isEmpty()) {
      findings.add(
          new Finding(
              Code.SUBNET_FULL,
              thing,
              "subnet " + subnet.id() + " (" + subnet.cidr() + ") has no free address",
              "join the network to a larger subnet, or free an address there",
              Who.ENGINEER));
      return new PlacedNic(subnet.id(), "", false, nic.mac());
    }
    take(subnet.id(), free.get());
    return new PlacedNic(subnet.id(), free.get(), false, nic.mac());
  }
}
