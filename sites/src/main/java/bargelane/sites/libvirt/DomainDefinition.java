package bargelane.sites.libvirt;

import static bargelane.sites.libvirt.DomainXml.escape;

import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.site.Inventory;
import bargelane.sites.Compute.Spec;
import bargelane.sites.SiteException;
import bargelane.sites.libvirt.Catalogue.State;
import java.io.IOException;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.util.List;
import java.util.Map;
import org.w3c.dom.Document;

/** The definition of a machine that we make on a host (libvirt "Domain XML format"). */
final class DomainDefinition {

  private static final int DEFAULT_PORT = 8080;

  private final Host host;
  private final Spec spec;

  DomainDefinition(Host host, Spec spec) {
    this.host = host;
    this.spec = spec;
  }

  /** The definition as XML; what it names on the host is made. */
  String xml() {
    State state = host.catalogue().read();
    host.shell.directory(consoles(host));
    host.runtime();
    boolean uefi = spec.firmware().equals("uefi");
    StringBuilder x = new StringBuilder();
    x.append("<domain type='").append(host.hypervisor.domainType());
    x.append("' xmlns:qemu='http://libvirt.org/schemas/domain/qemu/1.0'><name>");
    x.append(escape(spec.name())).append("</name><metadata>");
    x.append(new DomainXml.Mark(spec.owner(), false, way()).element());
    x.append("</metadata><memory unit='MiB'>").append(spec.memoryMib());
    x.append("</memory><vcpu>").append(spec.cpus()).append("</vcpu><os");
    x.append(uefi ? " firmware='efi'" : "").append("><type arch='x86_64' machine='");
    x.append(uefi ? "q35" : "pc").append("'>hvm</type>");
    // What starts at its source need not be signed for the keys of this host's firmware.
    x.append(
        uefi
            ? "<firmware><feature enabled='no' name='enrolled-keys'/>"
                + "<feature enabled='no' name='secure-boot'/></firmware>"
            // What the firmware says of a disk that it can't start is on the serial console then.
            : "<bios useserial='yes'/>");
    x.append("<boot dev='hd'/></os>");
    // A socket a processor, which is the hypervisor's own choice, is more than some systems use.
    int sockets = Math.max(1, spec.sockets());
    x.append("<cpu><topology sockets='").append(sockets).append("' cores='");
    x.append(spec.cpus() / sockets).append("' threads='1'/></cpu>");
    x.append("<features><acpi/></features><on_crash>destroy</on_crash><devices>");
    boolean virtio = host.settings.devices().equals("virtio");
    int index = 0;
    for (String disk : spec.disks()) {
      String file = state.fileOf(disk);
      x.append("<disk type='file' device='disk'><driver name='qemu' discard='unmap' type='");
      x.append(host.format(state, file)).append("'/><source file='").append(escape(file));
      x.append("'/><target dev='").append(virtio ? "vd" : uefi ? "sd" : "hd");
      x.append((char) ('a' + index++)).append("' bus='");
      x.append(virtio ? "virtio" : uefi ? "sata" : "ide").append("'/></disk>");
    }
    StringBuilder line = new StringBuilder();
    Map<String, Document> networks = Networks.of(host);
    int n = 0;
    for (PlacedNic nic : spec.nics()) {
      String model = virtio ? "virtio" : "e1000";
      if (carried(nic.network())) {
        x.append("<interface type='network'><source network='").append(escape(nic.network()));
        x.append("'/><model type='").append(model).append("'/>");
        if (!nic.mac().isEmpty()) {
          x.append("<mac address='").append(escape(nic.mac())).append("'/>");
        }
        x.append("</interface>");
      } else {
        Document network = networks.get(nic.network());
        if (network == null) {
          throw host.failure("network-unknown", "there is no network " + nic.network());
        }
        userNet(line, nic, network, n++, virtio ? "virtio-net-pci" : "e1000", uefi);
      }
    }
    // The path that the daemon would choose may be longer than a socket's can be.
    x.append("<channel type='unix'><source mode='bind' path='");
    x.append(escape(host.settings.runtime())).append("/").append(Names.brief(spec.name()));
    x.append(".agent'/><target type='virtio' name='").append(DomainXml.AGENT);
    x.append("'/></channel>");
    x.append("<serial type='file'><source path='").append(escape(consoles(host))).append("/");
    x.append(escape(spec.name())).append(".log'/></serial><memballoon model='none'/></devices>");
    x.append("<qemu:commandline>").append(line).append("</qemu:commandline></domain>");
    return x.toString();
  }

  /** Where the consoles of machines lie that we made. */
  static String consoles(Host host) {
    return host.catalogue().directory() + "/console";
  }

  private int port() {
    return spec.probePort() > 0 ? spec.probePort() : served();
  }

  private int served() {
    return spec.ingress().stream()
        .filter(i -> i.protocol().equals("tcp"))
        .map(Inventory.Ingress::port)
        .findFirst()
        .orElse(DEFAULT_PORT);
  }

  /** Where the machine will answer if it is on a network that the host carries. */
  private String way() {
    return spec.nics().stream()
        .findFirst()
        .filter(nic -> !nic.address().isEmpty() && carried(nic.network()))
        .map(nic -> nic.address() + ":" + port())
        .orElse("");
  }

  private boolean carried(String network) {
    return host.hypervisor.networks().stream()
        .anyMatch(
            n -> n.active() && DomainXml.text(DomainXml.parse(n.xml()), "name").equals(network));
  }

  private void userNet(
      StringBuilder line, PlacedNic nic, Document network, int index, String model, boolean uefi) {
    StringBuilder backend = new StringBuilder("user,id=net" + index);
    if (Networks.facts(network).isolated()) {
      backend.append(",restrict=on");
    }
    String cidr = Networks.cidr(network);
    if (!cidr.isEmpty()) {
      backend.append(",net=").append(cidr).append(",host=").append(Networks.gateway(network));
    }
    if (index == 0 && !nic.address().isEmpty()) {
      backend.append(",hostfwd=tcp:127.0.0.1:").append(freePort());
      backend.append("-").append(nic.address()).append(":").append(port());
    }
    String device =
        model
            + ",netdev=net"
            + index
            + (nic.mac().isEmpty() ? "" : ",mac=" + nic.mac())
            // In a slot that the hypervisor gives to none of its own devices.
            + (uefi ? ",bus=pcie.0" : ",bus=pci.0")
            + ",addr=0x"
            + Integer.toHexString(0x10 + index);
    for (String value : List.of("-netdev", backend.toString(), "-device", device)) {
      line.append("<qemu:arg value='").append(escape(value)).append("'/>");
    }
  }

  /** A port of this machine that nobody has now. */
  static int freePort() {
    try (ServerSocket socket = new ServerSocket(0, 1, InetAddress.getLoopbackAddress())) {
      return socket.getLocalPort();
    } catch (IOException e) {
      throw new SiteException(
          SiteException.Kind.MAY_PASS, "no-port", "no free port: " + e.getMessage(), e);
    }
  }
}
