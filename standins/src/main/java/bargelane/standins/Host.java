package bargelane.standins;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.refit.FileEdit;
import bargelane.standins.Platform.Machine;
import bargelane.standins.Platform.Network;
import bargelane.standins.Platform.Nic;
import bargelane.standins.guest.BootCheck;
import bargelane.standins.guest.GuestEdits;
import bargelane.standins.guest.Probe;
import bargelane.standins.guest.Workload;
import bargelane.standins.store.Volume;
import bargelane.standins.store.VolumeRecord;
import bargelane.standins.store.VolumeStore;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.SerializationFeature;
import java.io.Closeable;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.time.Clock;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.stream.Stream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * The machines and networks of one platform, and their guests while they are on. State is stored
 * before a call returns; machines that were on when the platform went down are started again when
 * it comes back.
 */
final class Host implements Closeable {

  private static final Logger log = LoggerFactory.getLogger(Host.class);
  static final ObjectMapper JSON = new ObjectMapper().enable(SerializationFeature.INDENT_OUTPUT);

  /** A guest that is on. */
  private record Guest(Workload workload, Probe probe, String console) {}

  /** Counters of a machine since it was first started here. */
  record Usage(
      long uptimeSeconds,
      double cpuSeconds,
      long bytesWritten,
      long writeOperations,
      long writeFailures) {}

  private final Path file;
  private final Platform platform;
  private final VolumeStore store;
  private final Clock clock = Clock.systemUTC();
  private final Map<String, Guest> guests = new ConcurrentHashMap<>();
  private final Map<String, Long> startedAt = new ConcurrentHashMap<>();
  private final ScheduledExecutorService beats = Executors.newScheduledThreadPool(2);
  private volatile Faults faults = Faults.NONE;

  Host(Path dir, Platform platform, VolumeStore store) {
    this.file = dir.resolve("platform.json");
    this.platform = platform;
    this.store = store;
  }

  Platform platform() {
    return platform;
  }

  Faults faults() {
    return faults;
  }

  void faults(Faults asked) {
    faults = asked;
    store.bounds(
        asked.scratchBytes() < 0 ? Long.MAX_VALUE : asked.scratchBytes(),
        asked.capacityBytes() < 0 ? Long.MAX_VALUE : asked.capacityBytes());
  }

  synchronized void save() throws IOException {
    Path temporary = file.resolveSibling("platform.json.new");
    JSON.writeValue(temporary.toFile(), platform);
    Files.move(
        temporary, file, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
  }

  /** Starts what was on when the platform last went down. */
  synchronized void resume() throws IOException {
    for (Machine machine : List.copyOf(platform.machines.values())) {
      if (machine.on() && !platform.unmade.containsKey(machine.id())) {
        try {
          boot(machine);
        } catch (Refusal e) {
          log.warn("{} does not come up again: {}", machine.name(), e.getMessage());
          platform.machines.put(machine.id(), machine.on(false));
        }
      }
    }
    save();
  }

  /**
   * Makes what of these volumes is described only, with the machines they belong to, whose guests
   * begin to run if they are on.
   */
  synchronized void make(Collection<String> volumes) throws IOException {
    for (Seed.SeedMachine unmade : List.copyOf(platform.unmade.values())) {
      Machine machine = platform.machines.get(unmade.id());
      if (machine == null || machine.disks().stream().noneMatch(volumes::contains)) {
        continue;
      }
      Path work = Files.createDirectories(file.resolveSibling("seed"));
      Seed.make(unmade, store, work);
      platform.unmade.remove(unmade.id());
      if (machine.on()) {
        boot(machine);
      }
      save();
    }
  }

  synchronized Machine machine(String id) {
    Machine machine = platform.machines.get(id);
    if (machine == null) {
      throw Refusal.missing("machine " + id);
    }
    return machine;
  }

  synchronized List<Machine> machines() {
    return List.copyOf(platform.machines.values());
  }

  synchronized History history() {
    return new History(machines(), Map.copyOf(platform.loads), Map.copyOf(platform.talks));
  }

  /** Defines a machine that is off. The same name and owner again gives the one that is there. */
  synchronized Machine define(Machine asked) throws IOException {
    Optional<Machine> same =
        platform.machines.values().stream()
            .filter(
                m ->
                    m.name().equals(asked.name())
                        && m.owner().equals(asked.owner())
                        && !asked.owner().isEmpty())
            .findFirst();
    if (same.isPresent()) {
      return same.get();
    }
    if (platform.machines.size() >= platform.quota.machines()) {
      throw Refusal.conflict(
          "quota-machines", "the quota of " + platform.quota.machines() + " machines is used up");
    }
    Taking.check(platform, asked);
    int cpus = asked.cpus();
    long memory = asked.memoryMib();
    if (platform.traits.sized()) {
      Platform.Size size = platform.sizes.get(asked.size());
      if (size == null || asked.size().equals(faults.withdrawn())) {
        throw new Refusal(
            422, "size-unknown", "there is no machine size '" + asked.size() + "' here");
      }
      cpus = size.cpus();
      memory = size.memoryMib();
    }
    make(asked.disks());
    asked.disks().forEach(store::volume);
    List<Nic> nics = new ArrayList<>();
    for (Nic nic : asked.nics()) {
      nics.add(addressed(nic, network(nic.network()), nics));
    }
    String prefix = platform.traits.kind().equals("cloud") ? "i-" : "vm-";
    String id = prefix + String.format("%04d", platform.nextMachine++);
    Machine made =
        new Machine(
            id,
            asked.name(),
            asked.size(),
            cpus,
            memory,
            asked.os(),
            asked.firmware(),
            asked.zone(),
            asked.disks(),
            nics,
            asked.ingress(),
            asked.labels(),
            false,
            false,
            asked.owner(),
            asked.licence(),
            asked.bootProtection(),
            asked.project().isEmpty()
                ? platform.projects.stream().findFirst().orElse("")
                : asked.project(),
            asked.identity());
    platform.machines.put(id, made);
    save();
    return made;
  }

  /** A card with an address: the one that was asked for, or one that nobody has. */
  private Nic addressed(Nic nic, Network network, List<Nic> given) {
    if (!nic.address().isEmpty()) {
      return nic;
    }
    Set<String> taken = new HashSet<>(network.reserved());
    Stream.concat(
            platform.machines.values().stream().flatMap(m -> m.nics().stream()), given.stream())
        .filter(n -> n.network().equals(nic.network()))
        .forEach(n -> taken.add(n.address()));
    String free =
        Cidr.parse(network.cidr())
            .free(taken)
            .orElseThrow(
                () ->
                    Refusal.conflict(
                        "subnet-full", "network " + network.name() + " has no free address"));
    return new Nic(nic.network(), free, nic.mac());
  }

  synchronized Network network(String id) {
    Network network = platform.networks.get(id);
    if (network == null) {
      throw Refusal.missing("network " + id);
    }
    return network;
  }

  /** Makes an isolated copy of a subnet, with its addresses free again. */
  synchronized Network isolate(String name, String like, String owner) throws IOException {
    Network from = network(like);
    String id = "net-" + name;
    Network made =
        new Network(
            id, name, from.zone(), from.cidr(), from.gateway(), true, like, owner, from.reserved());
    platform.networks.putIfAbsent(id, made);
    save();
    return made;
  }

  synchronized void removeNetwork(String id) throws IOException {
    for (Machine machine : platform.machines.values()) {
      if (machine.nics().stream().anyMatch(n -> n.network().equals(id))) {
        throw Refusal.conflict("network-in-use", "network " + id + " is used by " + machine.name());
      }
    }
    platform.networks.remove(id);
    save();
  }

  synchronized void remove(String id) throws IOException {
    Machine machine = platform.machines.get(id);
    if (machine == null) {
      return;
    }
    stop(id);
    platform.machines.remove(id);
    platform.unmade.remove(id);
    platform.loads.remove(id);
    platform.talks.remove(id);
    save();
  }

  synchronized Machine disks(String id, List<String> disks) throws IOException {
    Machine machine = machine(id);
    if (machine.on()) {
      throw Refusal.conflict(
          "machine-on", machine.name() + " is on; its disks can be changed when it is off");
    }
    make(disks);
    disks.forEach(store::volume);
    return put(machine.disks(disks));
  }

  /** A volume that a storage system fills, and the name of the machine that has it, or none. */
  record Carried(
      String name, long size, String storageClass, String asOf, boolean ended, String machine) {}

  /** Volumes that a storage system fills. */
  synchronized List<Carried> carried() {
    return store.volumes().stream().filter(v -> v.asOf() != null).map(this::carried).toList();
  }

  /** One of them. */
  synchronized Carried carried(String name) {
    return carried().stream()
        .filter(v -> v.name().equals(name))
        .findFirst()
        .orElseThrow(() -> Refusal.missing("volume " + name + " that a storage system fills"));
  }

  private Carried carried(VolumeRecord v) {
    return new Carried(
        v.name(),
        v.size(),
        v.storageClass(),
        v.asOf(),
        v.ended(),
        platform.machines.values().stream()
            .filter(m -> m.disks().contains(v.name()))
            .map(Machine::name)
            .findFirst()
            .orElse(""));
  }

  /** Has a storage system fill a volume that no running machine writes to, or end that. */
  synchronized void carried(String name, String asOf, boolean ended) throws IOException {
    make(List.of(name));
    for (Machine machine : platform.machines.values()) {
      if (machine.on() && machine.disks().contains(name)) {
        throw Refusal.conflict(
            "machine-on", machine.name() + " is on, and volume " + name + " is a disk of it");
      }
    }
    store.carried(name, asOf, ended);
  }

  synchronized Machine fence(String id, boolean fenced) throws IOException {
    Machine machine = machine(id);
    if (fenced && machine.on()) {
      throw Refusal.conflict("machine-on", machine.name() + " is on; stop it before it is fenced");
    }
    return put(machine.fenced(fenced));
  }

  synchronized Machine owner(String id, String owner) throws IOException {
    return put(machine(id).owner(owner));
  }

  private Machine put(Machine machine) throws IOException {
    platform.machines.put(machine.id(), machine);
    save();
    return machine;
  }

  synchronized Machine start(String id) throws IOException {
    Machine machine = machine(id);
    if (machine.on()) {
      return machine;
    }
    if (machine.fenced()) {
      throw Refusal.conflict(
          "fenced", machine.name() + " is fenced: it may not start until the fence is taken away");
    }
    if (machine.name().equals(faults.failStart())) {
      throw Refusal.conflict(
          "no-capacity",
          "zone " + machine.zone() + " has no room for " + machine.name() + " at present");
    }
    if (machine.nics().isEmpty()) {
      throw Refusal.conflict("no-network", machine.name() + " has no network attached");
    }
    for (Nic nic : machine.nics()) {
      addressFree(machine, nic);
    }
    for (String disk : machine.disks()) {
      String key = store.volume(disk).record().key();
      if (!key.isEmpty() && !platform.keys.contains(key)) {
        throw Refusal.conflict("key-unknown", "there is no key '" + key + "' here any more");
      }
    }
    make(machine.disks());
    boot(machine);
    // From here on a disk is the machine's own, and nothing else fills it.
    for (String disk : machine.disks()) {
      if (store.volume(disk).record().asOf() != null) {
        store.carried(disk, null, false);
      }
    }
    return put(machine.on(true));
  }

  private void addressFree(Machine machine, Nic nic) {
    Network network = network(nic.network());
    if (!Cidr.parse(network.cidr()).contains(nic.address())) {
      throw Refusal.conflict(
          "address-outside",
          "address " + nic.address() + " lies outside " + network.cidr() + " of " + network.name());
    }
    for (Machine other : platform.machines.values()) {
      if (!other.id().equals(machine.id()) && other.on()) {
        for (Nic taken : other.nics()) {
          if (taken.network().equals(nic.network()) && taken.address().equals(nic.address())) {
            throw Refusal.conflict(
                "address-taken",
                "address "
                    + nic.address()
                    + " on "
                    + network.name()
                    + " is used by "
                    + other.name());
          }
        }
      }
    }
  }

  private void boot(Machine machine) throws IOException {
    List<Volume> disks = machine.disks().stream().map(store::volume).toList();
    BootCheck.check(machine.name(), disks);
    Workload workload = Workload.start(machine.name(), platform.traits.name(), disks, clock, beats);
    String id = machine.id();
    Probe probe = new Probe(() -> describe(id));
    boolean panics = faults.panics(machine.name());
    if (panics) {
      // It is on, writes nothing and answers nobody.
      workload.close();
      probe.close();
    }
    guests.put(id, new Guest(workload, probe, SerialConsole.starting(machine, panics)));
    startedAt.put(id, clock.millis());
  }

  /** The serial console of a machine's guest; empty while it is off. */
  synchronized String console(String id) {
    machine(id);
    return guests.containsKey(id) ? guests.get(id).console() : "";
  }

  private byte[] describe(String id) {
    Map<String, Object> body = new LinkedHashMap<>();
    Machine machine = machine(id);
    Guest guest = guests.get(id);
    body.put("machine", machine.name());
    body.put("platform", platform.traits.name());
    body.put("addresses", machine.nics().stream().map(Nic::address).toList());
    body.put("sequence", guest == null ? -1 : guest.workload().newest());
    try {
      return JSON.writeValueAsBytes(body);
    } catch (JsonProcessingException e) {
      throw new IllegalStateException(e);
    }
  }

  synchronized Machine stop(String id) throws IOException {
    Machine machine = machine(id);
    Guest guest = guests.remove(id);
    if (guest != null) {
      guest.workload().close();
      guest.probe().close();
    }
    for (String disk : machine.disks()) {
      if (!store.described(disk)) {
        store.volume(disk).flush();
      }
    }
    return put(machine.on(false));
  }

  /** Loopback port that leads to a running guest, whatever network it is on. */
  synchronized int wayIn(String id) throws IOException {
    make(machine(id).disks());
    Guest guest = guests.get(id);
    if (guest == null) {
      throw Refusal.conflict("machine-off", machine(id).name() + " is off");
    }
    return guest.probe().port();
  }

  /**
   * Loopback port that leads to the running machine that has an address, for somebody outside.
   *
   * @throws Refusal if none runs there, or its rules don't let that one in to the port
   */
  synchronized int letIn(String from, String address, int port) throws IOException {
    Machine machine =
        platform.machines.values().stream()
            .filter(m -> m.on() && m.nics().stream().anyMatch(n -> outside(n, address)))
            .findFirst()
            .orElseThrow(() -> Refusal.missing("running machine at " + address));
    if (faults.shut(machine.name())
        || platform.filters && !Edge.lets(machine.ingress(), port, from)) {
      throw Refusal.conflict("shut", machine.name() + " does not let " + from + " in to " + port);
    }
    return wayIn(machine.id());
  }

  private boolean outside(Nic nic, String address) {
    return nic.address().equals(address) && !network(nic.network()).isolated();
  }

  /** Sets what a machine lets in. */
  synchronized Machine letsIn(String id, List<Platform.Ingress> rules) throws IOException {
    return put(machine(id).ingress(rules));
  }

  synchronized Usage usage(String id) {
    Machine machine = machine(id);
    Guest guest = guests.get(id);
    if (guest == null) {
      return new Usage(0, 0, 0, 0, 0);
    }
    long seconds = (clock.millis() - startedAt.get(id)) / 1000;
    long records = guest.workload().newest() * machine.disks().size();
    return new Usage(
        seconds, processCpuSeconds(), records * 512, records, guest.workload().failures());
  }

  /**
   * Processor time of the process that runs the guests, shared evenly: the only processors they
   * have.
   */
  private double processCpuSeconds() {
    return java.lang.management.ManagementFactory.getPlatformMXBean(
                com.sun.management.OperatingSystemMXBean.class)
            .getProcessCpuTime()
        / 1e9
        / Math.max(1, guests.size());
  }

  /** Changes files in a guest whose machine, if it has one yet, is off. */
  synchronized String refit(List<String> volumes, List<FileEdit> edits) throws IOException {
    for (Machine m : platform.machines.values()) {
      if (m.on() && m.disks().stream().anyMatch(volumes::contains)) {
        throw Refusal.conflict("machine-on", m.name() + " is on: its guest's files stay");
      }
    }
    return GuestEdits.make(volumes.stream().map(store::volume).toList(), edits);
  }

  synchronized boolean inUse(String volume) {
    return platform.machines.values().stream().anyMatch(m -> m.disks().contains(volume));
  }

  synchronized Map<String, Object> counts() {
    Map<String, Object> counts = new HashMap<>();
    counts.put("machines", platform.machines.size());
    counts.put("usedBytes", store.used());
    return counts;
  }

  BlockDevice faulty(BlockDevice device) {
    boolean held = faults.loseUnflushed() && !device.readOnly();
    return Faults.wrap(held ? new Unflushed(device) : device, this::faults);
  }

  @Override
  public synchronized void close() throws IOException {
    for (Guest guest : guests.values()) {
      guest.workload().close();
      guest.probe().close();
    }
    beats.shutdownNow();
    store.close();
  }
}
