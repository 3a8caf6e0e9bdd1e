package bargelane.sites.libvirt;

import static bargelane.sites.libvirt.DomainXml.attribute;
import static bargelane.sites.libvirt.DomainXml.escape;
import static bargelane.sites.libvirt.DomainXml.first;
import static bargelane.sites.libvirt.DomainXml.text;

import bargelane.core.net.Subnet;
import bargelane.core.site.Inventory.Network;
import bargelane.sites.SiteException;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.function.Supplier;
import org.w3c.dom.Document;
import org.w3c.dom.Element;

/**
 * A host's networks (libvirt "Network XML format"). A network that the host does not carry itself,
 * because it may not make bridges or because it is one of our isolated ones, gives its address
 * range only; machines on it get the emulator's user-mode network of that range, each its own, with
 * one port that the host forwards; on an isolated one they are cut off from everything else.
 */
final class Networks {

  private static final String NAMESPACE = "urn:bargelane:network:1";

  private Networks() {}

  /** All of a host's, by name. */
  static Map<String, Document> of(Host host) {
    Map<String, Document> networks = new LinkedHashMap<>();
    host.hypervisor
        .networks()
        .forEach(
            n -> {
              Document d = DomainXml.parse(n.xml());
              networks.put(text(d, "name"), d);
            });
    return networks;
  }

  private static Optional<Element> ours(Document network) {
    var found = network.getElementsByTagNameNS(NAMESPACE, "network");
    return found.getLength() == 0 ? Optional.empty() : Optional.of((Element) found.item(0));
  }

  static String owner(Document network) {
    return ours(network).map(e -> e.getAttribute("owner")).orElse("");
  }

  /** Address range, as {@code 10.20.1.0/24} or {@code 2001:db8::/64}; empty if it names none. */
  static String cidr(Document network) {
    return range(network).map(Subnet::toString).orElse("");
  }

  /** The range that a network's definition names: its address with a prefix or a mask. */
  static Optional<Subnet> range(Document network) {
    return first(network, "ip")
        .flatMap(
            ip -> {
              String prefix = ip.getAttribute("prefix");
              String mask = ip.getAttribute("netmask");
              return prefix.isEmpty()
                  ? Subnet.masked(
                      ip.getAttribute("address"), mask.isEmpty() ? "255.255.255.0" : mask)
                  : Subnet.of(ip.getAttribute("address") + "/" + prefix);
            });
  }

  static Network facts(Document network) {
    String name = text(network, "name");
    return new Network(name, name, "", cidr(network), ours(network).isPresent());
  }

  /** An isolated network of the same range as another. */
  static String isolated(String name, Document like, String owner) {
    return "<network><name>"
        + escape(name)
        + "</name><metadata><b:network xmlns:b='"
        + NAMESPACE
        + "' owner='"
        + escape(owner)
        + "'/></metadata><ip"
        + (range(like).map(Subnet::six).orElse(false) ? " family='ipv6'" : "")
        + " address='"
        + attribute(like, "ip", "address")
        + "' prefix='"
        + range(like).map(Subnet::prefix).orElse(24)
        + "'/></network>";
  }

  /** The network whose range a user-mode network has; empty if there is none. */
  static String named(Map<String, String> userNet, Map<String, Document> networks) {
    String told = userNet.getOrDefault("bargelane", "");
    if (networks.containsKey(told)) {
      return told;
    }
    return networks.entrySet().stream()
        .filter(n -> ours(n.getValue()).isEmpty())
        .filter(n -> cidr(n.getValue()).equals(userNet.getOrDefault("net", "?")))
        .map(Map.Entry::getKey)
        .findFirst()
        .orElse("");
  }

  /** The gateway's address on a network. */
  static String gateway(Document network) {
    return attribute(network, "ip", "address");
  }

  /** Makes an isolated network like another one; one of the same owner's that is there stays. */
  static void isolate(
      Host host, Supplier<Map<String, Document>> look, String name, String like, String owner) {
    Map<String, Document> networks = look.get();
    if (networks.containsKey(name)) {
      return;
    }
    Document model = networks.get(like);
    if (model == null) {
      throw host.failure("network-unknown", "there is no network " + like);
    }
    try {
      host.hypervisor.defineNetwork(isolated(name, model, owner));
    } catch (SiteException e) {
      // Another who makes the same may have been quicker.
      Document made = look.get().get(name);
      if (made == null || !owner(made).equals(owner)) {
        throw e;
      }
    }
  }
}
