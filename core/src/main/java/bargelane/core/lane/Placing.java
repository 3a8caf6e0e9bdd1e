package bargelane.core.lane;

import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.lane.Preflight.Decided;
import bargelane.core.lane.Rules.Effective;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.Network;
import bargelane.core.site.Inventory.Nic;
import bargelane.text.Counts;
import bargelane.text.Sizes;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.stream.IntStream;

/** One machine that is being placed: what is decided of it so far, and what is in the way. */
final class Placing {

  private static final String WHOSE_LICENCE =
      "choose for the machine, a label or the whole lane one of ";

  private final String wave;
  private final Rules rules;
  private final Shores shores;
  private final Inventory target;
  private final Joins joins;
  final LaneMachine m;
  final String name;
  final List<Finding> findings = new ArrayList<>();
  final List<Decided> decided = new ArrayList<>();
  final List<Optional<Network>> subnets = new ArrayList<>();
  final List<AddressRule> addressRules = new ArrayList<>();
  final List<PlacedNic> placed = new ArrayList<>();
  final List<String> storages = new ArrayList<>();
  private final List<String> keys = new ArrayList<>();
  final List<CarriedDisk> carried = new ArrayList<>();
  String zone = "";
  String called = "";
  String licence = "";
  Belonging belonging = Belonging.UNSAID;
  int sockets;
  boolean protection;
  boolean keptOff;

  /** None is said: the same as at the source. */
  List<Inventory.Ingress> ingress;

  Placing(LaneMachine m, String wave, Rules rules, Shores shores, Joins joins) {
    this.wave = wave;
    this.rules = rules;
    this.shores = shores;
    this.target = shores.target();
    this.joins = joins;
    this.m = m;
    this.name = m.facts().name();
  }

  void find(Code code, String cause, Remedy remedy, Who who) {
    findings.add(new Finding(code, name, cause, remedy, who));
  }

  Remedy set(String advice, Setting setting, String... value) {
    List<String> arguments = new ArrayList<>(List.of(shores.lane(), name, setting.word()));
    arguments.addAll(List.of(value));
    return Remedy.of(advice, Action.LANE_SET, arguments.toArray(String[]::new));
  }

  /** Notes an effective value, and a second label that says something else. */
  Optional<String> note(Setting setting, int part, Optional<Effective> of) {
    of.ifPresent(
        e -> {
          decided.add(new Decided(setting, part, e.value(), e.origin()));
          if (!e.against().isEmpty()) {
            find(
                Code.RULES_DIFFER,
                "labels "
                    + e.of()
                    + " and "
                    + e.against()
                    + " set "
                    + setting.word()
                    + " to different values",
                set("set it for the machine", setting),
                Who.ENGINEER);
          }
        });
    return of.map(Effective::value);
  }

  Optional<String> machine(Setting setting) {
    return note(setting, Rule.WHOLE, rules.machine(setting, m));
  }

  Preflight.Result result() {
    return new Preflight.Result(
        m,
        new Placement(
            m.size().orElse(""),
            List.copyOf(placed),
            List.copyOf(storages),
            zone,
            called.equals(name) ? "" : called,
            licence,
            belonging,
            sockets,
            protection,
            ingress,
            keptOff,
            keys.stream().allMatch(String::isEmpty) ? List.of() : List.copyOf(keys),
            carried.stream().map(CarriedDisk::volume).toList()),
        List.copyOf(decided),
        List.copyOf(findings),
        List.copyOf(carried));
  }

  /** Decides all but its addresses. */
  void decide() {
    checkSize();
    checkFirmware();
    checkNames();
    checkZone();
    checkLicence();
    checkBelonging();
    checkSockets();
    checkPower();
    ingress = machine(Setting.INGRESS).flatMap(IngressRules::read).orElse(null);
    subnets();
    storages();
  }

  private void checkFirmware() {
    String firmware = m.facts().firmware();
    if (!shores.capabilities().starts(firmware)) {
      find(
          Code.FIRMWARE_NOT_OFFERED,
          "it is started by "
              + firmware.toUpperCase(Locale.ROOT)
              + ", and the target has no such firmware",
          Remedy.advice(
              "have it installed there (Debian: ovmf for UEFI), and check the site again"),
          Who.SITE_OWNER);
    }
    protection = machine(Setting.BOOT_PROTECTION).map("on"::equals).orElse(false);
    if (protection && !target.offers().bootProtection()) {
      find(
          Code.BOOT_PROTECTION_UNFIT,
          shores.targetName() + " has no boot protection",
          set("switch it off", Setting.BOOT_PROTECTION, "off"),
          Who.ENGINEER);
    } else if (protection && !firmware.equals("uefi")) {
      find(
          Code.BOOT_PROTECTION_UNFIT,
          "it is started by BIOS, and boot protection needs UEFI",
          set("switch it off for the machine", Setting.BOOT_PROTECTION, "off"),
          Who.ENGINEER);
    }
  }

  private void checkNames() {
    called = machine(Setting.NAME).orElse(name);
    target
        .offers()
        .names()
        .refuses(called)
        .ifPresent(
            why ->
                find(
                    Code.NAME_REFUSED,
                    shores.targetName() + " does not take the name: it " + why,
                    set(
                        "give it another name there",
                        Setting.NAME,
                        target.offers().names().fit(called)),
                    Who.ENGINEER));
  }

  private void checkZone() {
    zone = machine(Setting.ZONE).orElse("");
    if (zone.isEmpty()) {
      return;
    }
    if (!target.zones().contains(zone)) {
      find(
          Code.ZONE_UNKNOWN,
          shores.targetName() + " has no zone " + zone,
          set(
              target.zones().isEmpty() ? "leave the zone out" : "choose one of " + target.zones(),
              Setting.ZONE),
          Who.ENGINEER);
      return;
    }
    m.size()
        .flatMap(target::size)
        .filter(s -> !s.limits().zones().isEmpty() && !s.limits().zones().contains(zone))
        .ifPresent(
            s ->
                find(
                    Code.ZONE_UNFIT,
                    "size " + s.id() + " is offered in " + s.limits().zones() + " only",
                    set("choose another zone, or another size", Setting.ZONE),
                    Who.ENGINEER));
  }

  private void checkLicence() {
    List<String> offered =
        target.offers().licencesOf(m.facts().os()).stream()
            .map(Inventory.Licence::id)
            .distinct()
            .toList();
    Optional<String> chosen = machine(Setting.LICENCE);
    if (offered.isEmpty()) {
      return;
    }
    licence = chosen.orElse("");
    if (chosen.isEmpty()) {
      find(
          Code.LICENCE_MISSING,
          shores.targetName() + " runs " + m.facts().os() + " under a licence, and none is chosen",
          set(WHOSE_LICENCE + offered, Setting.LICENCE, offered.get(0)),
          Who.ENGINEER);
    } else if (!offered.contains(chosen.get())) {
      find(
          Code.LICENCE_REFUSED,
          shores.targetName() + " has no licence " + chosen.get() + " for " + m.facts().os(),
          set(WHOSE_LICENCE + offered, Setting.LICENCE, offered.get(0)),
          Who.ENGINEER);
    }
  }

  private void checkBelonging() {
    belonging =
        new Belonging(
            offered(Setting.PROJECT, machine(Setting.PROJECT), target.offers().projects()),
            offered(Setting.IDENTITY, machine(Setting.IDENTITY), target.offers().identities()),
            machine(Setting.LABELS).flatMap(Belonging::labels).orElse(Map.of()));
  }

  /** What is chosen of what the target offers; told where it does not offer it any more. */
  private String offered(Setting setting, Optional<String> chosen, List<String> offers) {
    if (chosen.filter(c -> !offers.contains(c)).isPresent()) {
      find(
          Code.CHOICE_NOT_OFFERED,
          shores.targetName() + " has no " + setting.word() + " " + chosen.get(),
          set(
              offers.isEmpty() ? "unset it" : "choose one of " + offers,
              setting,
              offers.stream().limit(1).toArray(String[]::new)),
          Who.ENGINEER);
    }
    return chosen.orElse("");
  }

  private void checkSockets() {
    int cpus = m.facts().cpus();
    sockets = machine(Setting.SOCKETS).map(Integer::parseInt).orElse(0);
    if (sockets > 0 && cpus % sockets != 0) {
      find(
          Code.SOCKETS_UNFIT,
          "its "
              + Counts.of(cpus, "processor")
              + " can't be shared evenly by "
              + sockets
              + " sockets",
          set("choose a number that divides them", Setting.SOCKETS, "1"),
          Who.ENGINEER);
    }
  }

  private void checkPower() {
    Optional<String> power = machine(Setting.POWER);
    keptOff = power.equals(Optional.of(Rules.OFF));
    if (keptOff && m.facts().on()) {
      find(
          Code.POWER_DIFFERS,
          "it runs at its source, and is not started when it has landed",
          set("have it started", Setting.POWER, Rules.ON),
          Who.ENGINEER);
    } else if (power.isEmpty() && !m.facts().on()) {
      find(
          Code.POWER_DIFFERS,
          "it is off at its source, and is started when it has landed",
          set("leave it off there, or say that it is to be on", Setting.POWER, Rules.OFF),
          Who.ENGINEER);
    }
  }

  private void checkSize() {
    if (!shores.capabilities().sized()) {
      return;
    }
    if (m.size().isEmpty()) {
      find(
          Code.SIZE_NOT_CHOSEN,
          "no machine size is chosen",
          wave.isEmpty()
              ? Remedy.of("accept an assessment", Action.ASSESSMENT_ADD, shores.targetName())
              : Remedy.of("accept an assessment, or choose one", Action.WAVE_SIZE, wave, name),
          Who.ENGINEER);
      return;
    }
    Optional<Inventory.Size> offered = target.size(m.size().get());
    if (offered.isEmpty()) {
      find(
          Code.SIZE_NOT_OFFERED,
          "the target does not offer size " + m.size().get(),
          Remedy.advice(
              "choose one of " + target.sizes().stream().map(Inventory.Size::id).toList()),
          Who.ENGINEER);
    } else if (offered.get().cpus() < m.facts().cpus()
        || offered.get().memoryMib() < m.facts().memoryMib()) {
      find(
          Code.SIZE_TOO_SMALL,
          m.size().get() + " has fewer processors or less memory than the machine is built with",
          Remedy.advice("choose a larger size unless this is meant"),
          Who.ENGINEER);
    }
    offered.ifPresent(this::checkLimits);
  }

  /** A size may bound how many disks a machine has. */
  private void checkLimits(Inventory.Size size) {
    int most = size.limits().disks();
    int disks =
        rules.copied(m).disks().size()
            + (int)
                IntStream.range(0, m.facts().disks().size())
                    .filter(i -> m.copied().isEmpty() && rules.carried(m, i).isPresent())
                    .count();
    if (most > 0 && disks > most) {
      find(
          Code.DISKS_TOO_MANY,
          "it has " + disks + " disks, and a machine of size " + size.id() + " has at most " + most,
          Remedy.advice("choose a size that can have more"),
          Who.ENGINEER);
    }
  }

  private String card(Nic nic) {
    return name
        + (nic.address().isEmpty()
            ? ", card on network " + nic.network()
            : ", address " + nic.address());
  }

  private void subnets() {
    List<Nic> nics = m.facts().nics();
    for (int i = 0; i < nics.size(); i++) {
      Nic nic = nics.get(i);
      Optional<Effective> to = rules.card(Setting.SUBNET, m, i);
      note(Setting.SUBNET, i, to);
      Joins.Joined<Network> joined = joins.network(to, nic.network(), card(nic));
      joined.finding().ifPresent(findings::add);
      subnets.add(joined.to());
      Optional<Effective> address = rules.card(Setting.ADDRESS, m, i);
      note(Setting.ADDRESS, i, address);
      addressRules.add(
          address
              .flatMap(a -> AddressRule.read(a.value()))
              .orElse(AddressRule.usual(rules.plan().keepAddresses())));
      joins
          .source(nic.network())
          .flatMap(n -> joins.overlap(n, card(nic)))
          .ifPresent(findings::add);
      joined
          .to()
          .filter(n -> !n.zone().isEmpty() && !zone.isEmpty() && !n.zone().equals(zone))
          .ifPresent(
              n ->
                  find(
                      Code.ZONE_UNFIT,
                      "subnet " + n.id() + " is in " + n.zone() + ", the machine in " + zone,
                      set("choose a subnet or a zone accordingly", Setting.ZONE, n.zone()),
                      Who.ENGINEER));
      placed.add(new PlacedNic("", "", false, nic.mac()));
    }
  }

  void addresses(Addresses addresses, boolean fixed) {
    List<Nic> nics = m.facts().nics();
    for (int i = 0; i < nics.size(); i++) {
      Optional<Network> subnet = subnets.get(i);
      AddressRule rule = addressRules.get(i);
      if (subnet.isPresent() && fixed == addresses.fixed(rule, nics.get(i), subnet.get())) {
        placed.set(i, addresses.place(m, i, subnet.get(), rule, card(nics.get(i)), findings));
      }
    }
  }

  private void storages() {
    List<Inventory.Disk> disks = m.facts().disks();
    for (int i = 0; i < disks.size(); i++) {
      Inventory.Disk disk = disks.get(i);
      if (leftOut(disk, i)) {
        storages.add("");
        keys.add("");
        continue;
      }
      Optional<Effective> to = rules.disk(Setting.CLASS, m, i);
      note(Setting.CLASS, i, to);
      Joins.Joined<Inventory.Storage> joined =
          joins.storage(to, disk.storage(), name + ", disk " + disk.volume());
      joined.finding().ifPresent(findings::add);
      storages.add(joined.to().map(Inventory.Storage::id).orElse(""));
      joined.to().ifPresent(s -> checkRoom(disk, s));
      Optional<Effective> key = rules.disk(Setting.KEY, m, i);
      note(Setting.KEY, i, key);
      keys.add(offered(Setting.KEY, key.map(Effective::value), target.offers().keys()));
    }
  }

  private String nameThere() {
    return called.isEmpty() ? name : called;
  }

  /** Whether a disk is not copied, which is said in either case. */
  private boolean leftOut(Inventory.Disk disk, int i) {
    if (!rules.leftOut(m, i)) {
      return false;
    }
    note(Setting.COPY, i, rules.disk(Setting.COPY, m, i));
    String called = "disk " + disk.volume() + " (" + Sizes.text(disk.bytes()) + ") ";
    String number = String.valueOf(m.place(i));
    if (!m.copied().isEmpty()) {
      find(
          Code.DISK_LEFT_OUT,
          called + "is copied, though the lane leaves it out since",
          "take the machine out of the wave and plan it anew, or have the disk copied",
          number);
      return false;
    }
    Optional<CarriedDisk> by = rules.carried(m, i);
    if (i == 0) {
      find(
          Code.FIRST_DISK_LEFT_OUT,
          called
              + (by.isEmpty() ? "is left out" : "is carried by others")
              + ", and the machine starts from it",
          "have it copied",
          number);
    } else if (by.isEmpty()) {
      findings.add(leftOut(shores.lane(), name, disk, i));
    } else {
      carried.add(by.get());
      findings.addAll(
          by.get().findings(shores.lane(), name, nameThere(), target, shores.targetName()));
    }
    return true;
  }

  /** What is to be known of a disk that stays at its source. */
  static Finding leftOut(String lane, String machine, Inventory.Disk disk, int number) {
    return new Finding(
        Code.DISK_LEFT_OUT,
        machine,
        "disk "
            + disk.volume()
            + " ("
            + Sizes.text(disk.bytes())
            + ") is left out: what is on it stays at the source",
        Remedy.of(
            "see that nothing in the guest needs it, or have it copied",
            Action.LANE_COPY_DISK,
            lane,
            machine,
            String.valueOf(number)),
        Who.ENGINEER);
  }

  private void find(Code code, String cause, String advice, String disk) {
    find(
        code,
        cause,
        Remedy.of(advice, Action.LANE_COPY_DISK, shores.lane(), name, disk),
        Who.ENGINEER);
  }

  /** A class may bound how large one disk is. */
  private void checkRoom(Inventory.Disk disk, Inventory.Storage storage) {
    long most = storage.limits().gib();
    if (most > 0 && disk.bytes() > most << 30) {
      findings.add(
          new Finding(
              Code.DISK_TOO_LARGE,
              name + ", disk " + disk.volume(),
              "it has "
                  + Sizes.text(disk.bytes())
                  + ", and a disk of class "
                  + storage.id()
                  + " has at most "
                  + Sizes.text(most << 30),
              "choose another class, or have its file systems spread over several disks before it moves",
              Who.ENGINEER));
    }
  }
}
