package bargelane.blocks.refit;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;
import org.junit.jupiter.params.provider.ValueSource;

/** What a plan does about network cards and their addresses. */
class CardsTest extends PlannedGuest {

  private void configured(String path, String text) throws IOException {
    Files.delete(dir.resolve("content/etc/netplan/50.yaml"));
    put("usr/lib/systemd/systemd-udevd", "");
    put(path, text);
  }

  static Stream<Arguments> configurations() {
    return Stream.of(
        Arguments.of(
            "etc/network/interfaces",
            "auto lo\niface lo inet loopback\n\nallow-hotplug ens3\niface ens3 inet static\n"
                + "    address 10.20.1.21\n    netmask 255.255.255.0\n    gateway 10.20.1.1\n"
                + "iface ens4 inet static\n    address 10.20.1.210\n    netmask 255.0.0.0\n",
            "auto lo\niface lo inet loopback\n\nallow-hotplug ens3\niface ens3 inet static\n"
                + "    address 10.20.7.40\n    netmask 255.255.252.0\n    gateway 10.20.4.1\n"
                + "iface ens4 inet static\n    address 10.20.1.210\n    netmask 255.0.0.0\n"),
        Arguments.of(
            "etc/systemd/network/20.network",
            "[Match]\nName=ens3\n\n[Network]\nAddress=10.20.1.21/24\nGateway=10.20.1.1\n",
            "[Match]\nName=ens3\n\n[Network]\nAddress=10.20.7.40/22\nGateway=10.20.4.1\n"),
        Arguments.of(
            "etc/NetworkManager/system-connections/a.nmconnection",
            "[connection]\nid=a\ntype=ethernet\ninterface-name=ens3\n\n[ipv4]\nmethod=manual\n"
                + "address1=10.20.1.21/24,10.20.1.1\n\n[ipv6]\nmethod=auto\n",
            "[connection]\nid=a\ntype=ethernet\ninterface-name=ens3\n\n[ipv4]\nmethod=manual\n"
                + "address1=10.20.7.40/22,10.20.4.1\n\n[ipv6]\nmethod=auto\n"),
        Arguments.of(
            "etc/netplan/50.yaml",
            "network:\n  ethernets:\n    ens3:\n      addresses: [10.20.1.21/24]\n      routes:\n"
                + "        - to: default\n          via: 10.20.1.1\n  version: 2\n",
            "network:\n  ethernets:\n    ens3:\n      addresses: [10.20.7.40/22]\n      routes:\n"
                + "        - to: default\n          via: 10.20.4.1\n  version: 2\n"),
        Arguments.of(
            "etc/sysconfig/network-scripts/ifcfg-ens3",
            "DEVICE=ens3\nBOOTPROTO=none\nIPADDR=10.20.1.21\nPREFIX=24\nGATEWAY=10.20.1.1\n",
            "DEVICE=ens3\nBOOTPROTO=none\nIPADDR=10.20.7.40\nPREFIX=22\nGATEWAY=10.20.4.1\n"));
  }

  @ParameterizedTest
  @MethodSource("configurations")
  void aCardKeepsItsNameAndGetsItsAddress(String path, String before, String after)
      throws IOException {
    configured(path, before);
    Map<String, String> changes = changes(moved());
    assertEquals(after, changes.get("/" + path));
    assertTrue(
        changes
            .get("/etc/systemd/network/10-ens3.link")
            .endsWith("[Match]\nMACAddress=52:54:00:ab:10:21\nType=ether\n\n[Link]\nName=ens3\n"));
    assertEquals(2, changes.size());

    RefitPlan stays = Refit.plan(guest(), VIRTIO, VIRTIO, List.of(card("10.20.1.21")));
    assertEquals(
        Set.of("/etc/systemd/network/10-ens3.link"),
        changes(stays).keySet(),
        "on like hardware it may be plugged in elsewhere");
  }

  @Test
  void aCardThatIsKnownByItsAddressIsLeftAlone() throws IOException {
    configured(
        "etc/systemd/network/20.network",
        "[Match]\nMACAddress=52:54:00:ab:10:21\n[Network]\nDHCP=yes\n");
    RefitPlan plan = moved();
    assertEquals(Map.of(), changes(plan));
    assertEquals(
        List.of(
            "the guest asks for its address by DHCP: whoever gives addresses in the new network"
                + " must keep 10.20.7.40 for "
                + MAC),
        plan.unjudged());
  }

  @Test
  void ofSeveralCardsWhatCanNotBeToldIsSaid() throws IOException {
    configured("etc/network/interfaces", "iface ens3 inet dhcp\niface ens4 inet dhcp\n");
    Card other = new Card("52:54:00:ab:10:22", List.of(), "", "", 0, "", "");
    RefitPlan plan = Refit.plan(guest(), VIRTIO, VIRTIO, List.of(card("10.20.7.40"), other));
    assertEquals(Map.of(), changes(plan));
    assertEquals(3, plan.unjudged().size());
    assertTrue(plan.unjudged().get(1).startsWith("it can't be told which name"));
  }

  @Test
  void aNameThatIsNoneAndAFileThatIsThereAreLeftAlone() throws IOException {
    configured("etc/network/interfaces", "iface en/../../x inet static\n  address 10.20.1.21/24\n");
    assertEquals(Set.of("/etc/network/interfaces"), changes(moved()).keySet());
    put("etc/network/interfaces", "iface ens3 inet static\n  address 10.20.1.21/24\n");
    put("etc/systemd/network/10-ens3.link", "[Match]\nPath=*\n[Link]\nName=ens3\n");
    assertEquals(Set.of("/etc/network/interfaces"), changes(moved()).keySet());
    assertTrue(moved().unjudged().get(0).contains("may not be called 'ens3'"));
  }

  @Test
  void namesThatTheKernelCountsStay() throws IOException {
    configured("etc/network/interfaces", "iface eth0 inet static\n  address 10.20.1.21/24\n");
    assertEquals(
        Set.of("/etc/network/interfaces"),
        changes(Refit.plan(guest(), VIRTIO, VIRTIO, List.of(card("10.20.7.40")))).keySet());
  }

  private static RefitPlan moved(Guest guest, Card... cards) throws IOException {
    return Refit.plan(guest, VIRTIO, VIRTIO, List.of(cards));
  }

  static Stream<Arguments> layers() {
    return Stream.of(
        Arguments.of(
            "a bridge of ifupdown",
            Map.of(
                "etc/network/interfaces",
                "auto br0\niface br0 inet static\n  address 10.20.1.21/24\n  bridge_ports ens3\n")),
        Arguments.of(
            "a bond of ifupdown",
            Map.of(
                "etc/network/interfaces",
                "auto bond0\niface bond0 inet static\n  address 10.20.1.21/24\n  bond-slaves ens3\n")),
        Arguments.of(
            "a named VLAN of ifupdown",
            Map.of(
                "etc/network/interfaces",
                "iface office inet static\n  address 10.20.1.21/24\n  vlan-raw-device ens3\n")),
        Arguments.of(
            "a bridge of networkd",
            Map.of(
                "etc/systemd/network/10.network",
                "[Match]\nName=ens3\n[Network]\nBridge=br0\n",
                "etc/systemd/network/20.network",
                "[Match]\nName=br0\n[Network]\nAddress=10.20.1.21/24\n")),
        Arguments.of(
            "a VLAN on a bond of networkd",
            Map.of(
                "etc/systemd/network/10.network",
                "[Match]\nName=ens3\n[Network]\nBond=both\n",
                "etc/systemd/network/20.network",
                "[Match]\nName=both\n[Network]\nVLAN=office\n",
                "etc/systemd/network/30.network",
                "[Match]\nName=office\n[Network]\nAddress=10.20.1.21/24\n")),
        Arguments.of(
            "a bridge of netplan",
            Map.of(
                "etc/netplan/50.yaml",
                "network:\n  ethernets:\n    ens3: {}\n    ens4:\n      addresses: [10.9.9.9/24]\n"
                    + "  bridges:\n    br0:\n      interfaces: [ens3]\n      addresses: [10.20.1.21/24]\n")),
        Arguments.of(
            "a VLAN of netplan",
            Map.of(
                "etc/netplan/50.yaml",
                "network:\n  ethernets:\n    ens3: {dhcp4: false}\n    ens4: {dhcp4: true}\n"
                    + "  vlans:\n    office:\n      id: 7\n      link: ens3\n      addresses:\n        - 10.20.1.21/24\n")),
        Arguments.of(
            "a bridge of NetworkManager",
            Map.of(
                "etc/NetworkManager/system-connections/br0.nmconnection",
                "[connection]\nid=br0\nuuid=0b1c\ntype=bridge\ninterface-name=br0\n\n[ipv4]\n"
                    + "method=manual\naddress1=10.20.1.21/24\n",
                "etc/NetworkManager/system-connections/port.nmconnection",
                "[connection]\nid=port\ntype=ethernet\ninterface-name=ens3\nmaster=0b1c\n")),
        Arguments.of(
            "a bridge of ifcfg files",
            Map.of(
                "etc/sysconfig/network-scripts/ifcfg-br0",
                "DEVICE=br0\nTYPE=Bridge\nIPADDR=10.20.1.21\nPREFIX=24\n",
                "etc/sysconfig/network-scripts/ifcfg-ens3",
                "DEVICE=ens3\nBRIDGE=br0\n")),
        Arguments.of(
            "a list of names of networkd",
            Map.of(
                "etc/systemd/network/10.network",
                "[Match]\nName=br7 ens3\n[Network]\nAddress=10.20.1.21/24\n")));
  }

  @ParameterizedTest(name = "{0}")
  @MethodSource("layers")
  void theCardBelowKeepsItsName(String what, Map<String, String> files) throws IOException {
    Files.delete(dir.resolve("content/etc/netplan/50.yaml"));
    put("usr/lib/systemd/systemd-udevd", "");
    for (var file : files.entrySet()) {
      put(file.getKey(), file.getValue());
    }
    RefitPlan plan = moved();
    assertTrue(changes(plan).containsKey("/etc/systemd/network/10-ens3.link"), changes(plan) + "");
    assertTrue(changes(plan).values().stream().anyMatch(t -> t.contains("10.20.7.40")), plan + "");
    assertEquals(List.of(), plan.unjudged());
  }

  /** The guest itself tells what its cards are called: by its agent, or in a survey. */
  @Test
  void ofSeveralCardsTheGuestTellsWhichIsWhich() throws IOException {
    configured("etc/network/interfaces", "iface ens3 inet dhcp\niface ens4 inet dhcp\n");
    Card one = new Card(MAC, List.of("ens3", "br-old"), "", "10.20.7.40", 24, "", "");
    Card two = new Card("52:54:00:ab:10:22", List.of("ens4"), "", "", 0, "", "");
    assertEquals(
        Set.of("/etc/systemd/network/10-ens3.link", "/etc/systemd/network/10-ens4.link"),
        changes(moved(guest(), one, two)).keySet());
  }

  @Test
  void namesThatAPatternMayNotMatchAnyMoreAreKeptOrTold() throws IOException {
    configured(
        "etc/systemd/network/20.network", "[Match]\nName=ens*\n[Network]\nAddress=10.20.1.21/24\n");
    assertTrue(moved().unjudged().get(0).contains("'ens*'"), moved().unjudged() + "");
    Card told = new Card(MAC, List.of("ens3"), "10.20.1.21", "10.20.7.40", 24, "", "10.20.7.1");
    RefitPlan plan = moved(guest(), told);
    assertTrue(changes(plan).containsKey("/etc/systemd/network/10-ens3.link"));
    assertEquals(List.of(), plan.unjudged());
    put("etc/systemd/network/20.network", "[Match]\nName=e*\n[Network]\nAddress=10.20.1.21/24\n");
    assertEquals(List.of(), moved().unjudged());
  }

  @Test
  void anAddressThatNobodyPlansIsTold() throws IOException {
    configured(
        "etc/network/interfaces",
        "iface ens3 inet static\n  address 10.20.1.21/24\n"
            + "iface ens3 inet6 static\n  address 2001:db8:1::21/64\n  gateway 2001:db8:1::1\n");
    assertEquals(
        List.of(
            "ens3 has the address 2001:db8:1::21 too; none is planned in its place, so it stays as"
                + " it is"),
        moved().unjudged());
  }

  @Test
  void anAddressOfTheSixthVersionIsChangedAsThoseOfTheFourthAre() throws IOException {
    configured(
        "etc/netplan/50.yaml",
        "network:\n  ethernets:\n    ens3:\n      addresses: [\"2001:db8:1::21/64\"]\n"
            + "      routes:\n        - to: \"::/0\"\n          via: \"2001:db8:1::1\"\n");
    Card card =
        new Card(MAC, List.of(), "2001:db8:1::21", "2001:db8:7::2", 56, "", "2001:db8:7::1");
    assertEquals(
        "network:\n  ethernets:\n    ens3:\n      addresses: [\"2001:db8:7::2/56\"]\n"
            + "      routes:\n        - to: \"::/0\"\n          via: \"2001:db8:7::1\"\n",
        changes(moved(guest(), card)).get("/etc/netplan/50.yaml"));
  }

  /** What would take hours if it were read again from each line, or for each name. */
  @ParameterizedTest
  @ValueSource(
      strings = {"\n", "iface a\n", "iface a%d inet dhcp\n", "to: default\n", "  a:\n", "a\n"})
  @Timeout(60)
  void aFileThatIsMadeToBeReadForHoursIsReadInMoments(String line) throws IOException {
    StringBuilder text = new StringBuilder("[Match]\nnetwork:\n ethernets:\n");
    for (int i = 0; text.length() < 1_000_000; i++) {
      text.append(line.replace("%d", "" + i));
    }
    configured("etc/network/interfaces", text.toString());
    put("etc/systemd/network/a.network", text.toString());
    put("etc/netplan/a.yaml", text.toString());
    assertEquals(List.of(), moved().refused());
  }

  @Test
  @Timeout(60)
  void bridgesThatLieOnEachOtherAreNotFollowedForEver() throws IOException {
    StringBuilder ports = new StringBuilder();
    for (int i = 0; i < 100; i++) {
      ports.append(" b").append(i);
    }
    StringBuilder text = new StringBuilder();
    for (int i = 0; i < 400; i++) {
      text.append("iface b" + i + " inet manual\n  bridge_ports" + ports + "\n");
    }
    text.append("iface top inet static\n  address 10.20.1.21/24\n  bridge_ports b1 ens3\n");
    configured("etc/network/interfaces", text.toString());
    assertTrue(changes(moved()).containsKey("/etc/systemd/network/10-ens3.link"));
  }
}
