package bargelane.sites.libvirt;

import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Capabilities.Reach;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.DeviceFamily;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.NameRule;
import bargelane.sites.Compute;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Source;
import bargelane.sites.Target;
import java.math.BigDecimal;
import java.time.Clock;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;
import org.w3c.dom.Document;

/** A host that runs QEMU under libvirt, through libvirt's interface and the emulator's programs. */
public final class LibvirtDriver implements SiteDriver {

  /** First version whose checkpoints and pull-mode backups work as this driver needs them. */
  /**
   * A definition's name becomes a file's (libvirt: "name cannot contain '/'"): in UTF-8, with what
   * libvirt and a test add to it, within 255 bytes.
   */
  private static final NameRule NAMES = new NameRule(70, false, "/");

  private static final String LEAST_LIBVIRT = "7.2.0";

  private final String name;
  private final Host host;
  private final Clock clock;

  /**
   * @param address libvirt's URI with our settings as further parameters
   * @throws IllegalArgumentException if the address can't be used
   */
  public LibvirtDriver(String name, String address, Clock clock) {
    this.name = name;
    this.clock = clock;
    this.host = new Host(name, Settings.parse(address));
  }

  // ---- check

  @Override
  public List<Finding> check() {
    List<Finding> findings = new ArrayList<>();
    try {
      String version = host.hypervisor.libraryVersion();
      if (older(version, LEAST_LIBVIRT)) {
        findings.add(
            finding(
                Code.SITE_VERSION_UNFIT,
                "libvirt is " + version + ", and change tracking needs " + LEAST_LIBVIRT,
                "install a newer libvirt on the host"));
      }
    } catch (SiteException e) {
      Optional<String> remedy = refusal(e.code());
      findings.add(
          finding(
              remedy.isPresent() ? Code.SITE_PERMISSION_MISSING : Code.SITE_UNREACHABLE,
              e.getMessage().replaceFirst("^" + Pattern.quote(name) + " ", "it "),
              remedy.orElseGet(
                  () ->
                      host.settings
                              .ssh()
                              .map(a -> "see that " + a.host() + " can be reached, and ")
                              .orElse("see ")
                          + "that libvirtd runs and that its socket is "
                          + host.settings.socket())));
      return findings;
    }
    try {
      programs(findings);
      pools(findings);
      disks(findings);
    } catch (SiteException e) {
      if (e.kind() == SiteException.Kind.MAY_PASS) {
        findings.add(
            finding(
                Code.SITE_UNREACHABLE,
                e.getMessage(),
                "see that the host runs, and check it again"));
        return findings;
      }
      boolean python = e.code().equals(HostProgram.PYTHON_MISSING);
      findings.add(
          finding(
              python ? Code.SITE_PROGRAM_MISSING : Code.SITE_PERMISSION_MISSING,
              python ? "the host has no python3" : e.getMessage(),
              python ? "apt-get install python3" : "let the service's user do this on the host"));
    }
    return findings;
  }

  /** What lets the service in, by the code that it was refused with; empty for other failures. */
  private Optional<String> refusal(String code) {
    Ssh.Address a = host.settings.ssh().orElse(null);
    return switch (code) {
      case "refused" -> Optional.of("let the service's user use " + host.settings.socket());
      case Ssh.LOGIN_REFUSED ->
          Optional.of(
              "let "
                  + (a.user().isEmpty() ? "the service's user" : a.user())
                  + " log in at "
                  + a.host()
                  + " with "
                  + (a.keyFile().isEmpty() ? "the service's key" : a.keyFile()));
      case Ssh.HOST_KEY ->
          Optional.of(
              "compare the fingerprint of "
                  + a.host()
                  + "'s key there and add the key to "
                  + (a.knownHosts().isEmpty()
                      ? "the known_hosts of the service's user"
                      : a.knownHosts()));
      default -> Optional.empty();
    };
  }

  private Finding finding(Code code, String cause, String remedy) {
    return new Finding(code, name, cause, remedy, Who.SITE_OWNER);
  }

  static boolean older(String version, String least) {
    String[] a = version.split("\\.");
    String[] b = least.split("\\.");
    for (int i = 0; i < b.length; i++) {
      int difference = Integer.compare(Integer.parseInt(a[i]), Integer.parseInt(b[i]));
      if (difference != 0) {
        return difference < 0;
      }
    }
    return false;
  }

  private void programs(List<Finding> findings) {
    Map<String, String> needed =
        Map.of(
            "qemu-img",
            "qemu-utils",
            "qemu-io",
            "qemu-utils",
            "qemu-nbd",
            "qemu-utils",
            "virsh",
            "libvirt-clients");
    host.shell
        .missing(List.copyOf(needed.keySet()))
        .forEach(
            program ->
                findings.add(
                    finding(
                        Code.SITE_PROGRAM_MISSING,
                        "the host has no " + program,
                        "apt-get install " + needed.get(program))));
  }

  /** The catalogue stays in the pool that came first by name when the host was first asked. */
  @Override
  public Optional<String> settledAddress() {
    return host.settings.pool().isEmpty()
        ? Optional.of(host.settings.withPool(host.ownPool().name()))
        : Optional.empty();
  }

  private void pools(List<Finding> findings) {
    Map<String, Host.Pool> pools = host.pools();
    if (pools.isEmpty()
        || !host.settings.pool().isEmpty() && !pools.containsKey(host.settings.pool())) {
      findings.add(
          finding(
              Code.STORAGE_UNKNOWN,
              "there is no active pool of files"
                  + (host.settings.pool().isEmpty() ? "" : " '" + host.settings.pool() + "'"),
              "define one: virsh pool-define-as NAME dir --target DIRECTORY, and start it"));
      return;
    }
    String directory = host.directory();
    if (!writable(directory)) {
      findings.add(
          finding(
              Code.SITE_PERMISSION_MISSING,
              directory + " can't be written",
              "let the daemon's user write to the pool"));
      return;
    }
    if (!writable(host.settings.runtime())) {
      findings.add(
          finding(
              Code.SITE_PERMISSION_MISSING,
              host.settings.runtime() + " can't be made: sockets lie there",
              "make it for the daemon's user, or name another with runtime=DIRECTORY in the address"));
    }
    long reserve = host.settings.reserveMib() << 20;
    pools.values().stream()
        .filter(p -> p.available() < reserve)
        .forEach(
            p ->
                findings.add(
                    finding(
                        Code.SITE_ROOM_SHORT,
                        "pool "
                            + p.name()
                            + " has "
                            + (p.available() >> 20)
                            + " MiB free; snapshots are dropped below "
                            + host.settings.reserveMib(),
                        "make room in "
                            + p.path()
                            + ", or keep scratch elsewhere with scratch=DIRECTORY")));
  }

  private boolean writable(String directory) {
    try {
      host.shell.directory(directory);
      return true;
    } catch (SiteException e) {
      if (e.kind() == SiteException.Kind.MAY_PASS) {
        throw e;
      }
      return false;
    }
  }

  private void disks(List<Finding> findings) {
    for (Hypervisor.Domain d : host.hypervisor.domains()) {
      DomainXml xml = new DomainXml(d.xml());
      for (DomainXml.Disk disk : xml.disks()) {
        if (!disk.format().equals("qcow2")) {
          findings.add(
              new Finding(
                  Code.DISK_KEEPS_NO_CHANGES,
                  xml.name() + ", disk " + disk.target(),
                  "its format is "
                      + disk.format()
                      + ", which keeps no bitmaps: every pass reads and compares it whole",
                  "convert it to qcow2 when the machine is next off",
                  Who.ENGINEER));
        }
      }
    }
  }

  // ---- what there is

  @Override
  public Capabilities capabilities() {
    boolean virtio = host.settings.devices().equals("virtio");
    return new Capabilities(
        "QEMU under libvirt",
        "libvirt "
            + host.hypervisor.libraryVersion()
            + ", QEMU "
            + host.hypervisor.emulatorVersion(),
        Reach.MACHINE,
        Images.GRANULARITY,
        false,
        false,
        true,
        virtio ? new DeviceFamily("virtio", "virtio") : new DeviceFamily("ide", "e1000"),
        virtio ? new DeviceFamily("virtio", "virtio") : new DeviceFamily("sata", "e1000"),
        host.hypervisor.startsUefi() ? List.of("bios", "uefi") : List.of("bios"));
  }

  /** A machine's facts; none if it was removed since it was listed. */
  private Optional<MachineFacts> known(
      LibvirtCompute compute,
      Hypervisor.Domain domain,
      Catalogue.State state,
      Map<String, Document> networks,
      Map<String, Host.Pool> pools) {
    try {
      return Optional.of(told(compute.facts(domain, state, networks, pools)));
    } catch (SiteException e) {
      if (!e.code().equals(Hypervisor.MISSING)) {
        throw e;
      }
      return Optional.empty();
    }
  }

  @Override
  public Inventory inventory() {
    Map<String, Host.Pool> pools = host.pools();
    Catalogue.State state = host.catalogue().read();
    LibvirtCompute compute = new LibvirtCompute(host);
    Map<String, Document> networks = Networks.of(host);
    List<MachineFacts> machines =
        host.hypervisor.domains().stream()
            .flatMap(d -> known(compute, d, state, networks, pools).stream())
            .toList();
    long capacity = pools.values().stream().mapToLong(Host.Pool::capacity).sum();
    long available = pools.values().stream().mapToLong(Host.Pool::available).sum();
    return new Inventory(
        machines,
        networks.values().stream().map(Networks::facts).toList(),
        pools.values().stream()
            .map(p -> new Inventory.Storage(p.name(), p.name(), "files", BigDecimal.ZERO, ""))
            .toList(),
        List.of(),
        List.of(""),
        new Inventory.Quota(
            Integer.MAX_VALUE, machines.size(), capacity >> 30, (capacity - available) >> 30),
        new Inventory.Offers(NAMES, List.of(), false, false));
  }

  private MachineFacts told(MachineFacts machine) {
    return machine.on()
        ? host.hypervisor
            .guests
            .guest(machine.platformId())
            .map(values -> machine.telling(Guests.facts(values, clock.instant())))
            .orElse(machine)
        : machine;
  }

  @Override
  public Map<String, Inventory.Usage> usage() {
    Map<String, Inventory.Usage> usage = new HashMap<>();
    Map<String, Map<String, Object>> told = host.hypervisor.guests.statistics();
    Instant at = clock.instant();
    told.forEach((id, values) -> usage.put(id, Guests.usage(values, at)));
    return usage;
  }

  @Override
  public Source source() {
    return new LibvirtSource(host);
  }

  @Override
  public Target target() {
    return new LibvirtTarget(host);
  }

  @Override
  public Compute compute() {
    return new LibvirtCompute(host);
  }
}
