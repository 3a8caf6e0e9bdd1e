package bargelane.blocks.refit;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.MemoryDevice;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;

/** What a refit decides for guests whose disk is one file system made by the system's own tool. */
class RefitPlanTest {

  private static final Hardware VIRTIO = new Hardware("virtio", "virtio");
  private static final List<Card> MOVED =
      List.of(new Card("", "10.20.1.21", "10.20.7.40", 24, "255.255.255.0", "10.20.7.1"));
  private static final String SEED = "/var/lib/cloud/seed/nocloud/";

  @TempDir Path dir;

  @BeforeEach
  void aGuest() throws IOException {
    put("etc/fstab", "UUID=51b1a001-0000-4000-8000-000000000001 / ext4 rw 0 1\n");
    put("etc/hostname", "lending-app\n");
    put(
        "etc/netplan/50.yaml",
        "network:\n  ethernets:\n    eth0:\n      addresses: [10.20.1.21/24]\n      gateway4: 10.20.1.1\n");
  }

  private void put(String path, String text) throws IOException {
    Path file = dir.resolve("content").resolve(path);
    Files.createDirectories(file.getParent());
    Files.writeString(file, text);
  }

  private Guest guest() throws IOException {
    Path image = dir.resolve("image");
    Files.deleteIfExists(image);
    tool(
        "/sbin/mke2fs",
        "-q",
        "-F",
        "-t",
        "ext4",
        "-U",
        "51b1a001-0000-4000-8000-000000000001",
        "-d",
        dir.resolve("content").toString(),
        image.toString(),
        "16m");
    return Guest.look(List.of(device(image)));
  }

  private static void tool(String... command) throws IOException {
    Process made = new ProcessBuilder(command).redirectErrorStream(true).start();
    String out = new String(made.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    assertEquals(0, made.onExit().join().exitValue(), out);
  }

  private static MemoryDevice device(Path image) throws IOException {
    byte[] bytes = Files.readAllBytes(image);
    MemoryDevice disk = new MemoryDevice(bytes.length);
    disk.write(0, ByteBuffer.wrap(bytes));
    return disk;
  }

  private static Map<String, String> changes(RefitPlan plan) {
    return plan.edits().stream()
        .collect(
            Collectors.toMap(FileEdit::path, e -> new String(e.content(), StandardCharsets.UTF_8)));
  }

  @Test
  void aMovedAddressIsChangedWhereItIsConfigured() throws IOException {
    RefitPlan plan = Refit.plan(guest(), VIRTIO, VIRTIO, MOVED);
    String text = changes(plan).get("/etc/netplan/50.yaml");
    assertTrue(text.contains("[10.20.7.40/24]"));
    assertTrue(text.contains("gateway4: 10.20.7.1"));
    assertEquals(1, plan.edits().size());
    assertEquals(List.of(), plan.refused());
  }

  @Test
  void firstBootDataIsLeftUnderTheIdentityThatIsKnown() throws IOException {
    put("etc/cloud/cloud.cfg", "users: [default]\n");
    put("var/lib/cloud/data/instance-id", "iid-7\n");
    Map<String, String> changes = changes(Refit.plan(guest(), VIRTIO, VIRTIO, MOVED));
    assertEquals(
        "instance-id: iid-7\nlocal-hostname: lending-app\n", changes.get(SEED + "meta-data"));
    assertEquals("config: disabled\n", changes.get(SEED + "network-config"));
    assertTrue(changes.get(SEED + "user-data").startsWith("#cloud-config\n"));

    put(SEED.substring(1) + "user-data", "#cloud-config\nusers: [default]\n");
    Map<String, String> beside = changes(Refit.plan(guest(), VIRTIO, VIRTIO, MOVED));
    assertFalse(beside.containsKey(SEED + "user-data"), "what is there is the guest's own");
    assertTrue(beside.containsKey(SEED + "meta-data"));

    RefitPlan stays = Refit.plan(guest(), VIRTIO, VIRTIO, List.of());
    assertFalse(stays.needed(), "nothing moves, so nothing is left");
  }

  @Test
  void firstBootDataThatWouldNotBeReadIsToldAndNotLeft() throws IOException {
    put("etc/cloud/cloud.cfg", "datasource_list: [ NoCloud, None ]\n");
    put("etc/cloud/cloud.cfg.d/90_dpkg.cfg", "datasource_list: [ ConfigDrive ]\n");
    put("var/lib/cloud/data/instance-id", "iid-7\n");
    RefitPlan plan = Refit.plan(guest(), VIRTIO, VIRTIO, MOVED);
    assertFalse(changes(plan).containsKey(SEED + "meta-data"));
    assertTrue(plan.unjudged().get(0).contains("[ ConfigDrive ]"));

    put("etc/cloud/cloud-init.disabled", "");
    assertEquals(List.of(), Refit.plan(guest(), VIRTIO, VIRTIO, MOVED).unjudged());
  }

  @Test
  void agentsOfOtherPlatformsAreSwitchedOff() throws IOException {
    put("usr/lib/systemd/system/hv-kvp-daemon.service", "[Unit]\n");
    put("usr/lib/systemd/system/qemu-guest-agent.service", "[Unit]\n");
    RefitPlan plan = Refit.plan(guest(), new Hardware("sata", "e1000"), VIRTIO, List.of());
    assertTrue(
        changes(plan)
            .get("/etc/systemd/system/hv-kvp-daemon.service")
            .contains("ConditionPathExists=/nonexistent"));
    assertFalse(
        changes(plan).containsKey("/etc/systemd/system/qemu-guest-agent.service"),
        "it is spoken to on both sides");
    assertFalse(plan.refused().isEmpty(), "and without a loader it is not known what starts");
  }

  // ---- cards

  private static final String MAC = "52:54:00:AB:10:21";

  private static Card card(String to) {
    return new Card(MAC, "10.20.1.21", to, 22, "255.255.252.0", "10.20.4.1");
  }

  private void configured(String path, String text) throws IOException {
    Files.delete(dir.resolve("content/etc/netplan/50.yaml"));
    put("usr/lib/systemd/systemd-udevd", "");
    put(path, text);
  }

  private RefitPlan moved() throws IOException {
    return Refit.plan(guest(), VIRTIO, VIRTIO, List.of(card("10.20.7.40")));
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
  void theCardBelowABridgeKeepsItsName() throws IOException {
    configured(
        "etc/network/interfaces",
        "iface ens3 inet manual\nauto br0\niface br0 inet static\n  address 10.20.1.21/24\n  bridge_ports ens3\n");
    assertTrue(changes(moved()).containsKey("/etc/systemd/network/10-ens3.link"));
  }

  @Test
  void ofSeveralCardsWhatCanNotBeToldIsSaid() throws IOException {
    configured("etc/network/interfaces", "iface ens3 inet dhcp\niface ens4 inet dhcp\n");
    Card other = new Card("52:54:00:ab:10:22", "", "", 0, "", "");
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

  // ---- mounts

  @Test
  void whatFstabWantsAndNoDiskHoldsIsInTheWay() throws IOException {
    put(
        "etc/fstab",
        "UUID=1b0c0000-eeee / ext4 rw 0 1\n"
            + "UUID=51B1A001-0000-4000-8000-000000000001 /again ext4 rw 0 2\n"
            + "# UUID=1b0c0000-aaaa /old ext4 rw 0 2\n"
            + "UUID=1b0c0000-bbbb /backup ext4 defaults,nofail 0 2\n"
            + "UUID=1b0c0000-cccc none swap sw 0 0\n"
            + "tmpfs /tmp tmpfs rw 0 0\n");
    assertEquals(List.of(), moved().refused());
    put(
        "etc/fstab",
        "UUID=\"1b0c0000-dddd\" /srv ext4 defaults 0 2\n"
            + "/dev/disk/by-path/pci-0000:00:01.1-ata-1 /data ext4 defaults 0 2\n");
    List<String> refused = moved().refused();
    assertEquals(1, refused.size(), "on like hardware a disk is attached as it was");
    assertTrue(refused.get(0).contains("at /srv, and no disk of the machine holds it"));
    assertTrue(
        Refit.plan(guest(), new Hardware("ide", "e1000"), VIRTIO, List.of()).refused().stream()
            .anyMatch(r -> r.contains("by-path") && r.contains("Name it by its UUID")));
  }

  @Test
  void swapThatIsNamedByItsDiskIsNamedByItsIdentity() throws Exception {
    String id = "51b1a001-0000-4000-8000-00000000bbbb";
    put("etc/fstab", "/dev/sdb none swap sw 0 0\n");
    guest();
    Path swap = dir.resolve("swap");
    tool("truncate", "-s", "4M", swap.toString());
    tool("/sbin/mkswap", "-q", "-U", id, swap.toString());
    Guest guest = Guest.look(List.of(device(dir.resolve("image")), device(swap)));
    RefitPlan plan = Refit.plan(guest, new Hardware("ide", "e1000"), VIRTIO, List.of());
    assertEquals("UUID=" + id + " none swap sw 0 0\n", changes(plan).get("/etc/fstab"));
  }

  @Test
  void anEncryptedDiskThatIsUnlockedByANameThatChangesIsInTheWay() throws IOException {
    put(
        "etc/crypttab",
        "# target source key options\n"
            + "data /dev/sdb1 none luks\n"
            + "later /dev/sdc1 none luks,nofail\n"
            + "home UUID=51b1a001-0000-4000-8000-00000000aaaa none luks\n");
    List<String> refused =
        Refit.plan(guest(), new Hardware("ide", "e1000"), VIRTIO, List.of()).refused();
    assertEquals(1, refused.stream().filter(r -> r.contains("crypttab")).count(), refused + "");
    assertTrue(refused.stream().anyMatch(r -> r.contains("unlocks /dev/sdb1, a name")));
    assertEquals(List.of(), moved().refused(), "on like hardware names stay");
  }

  /** The plan of a guest that UEFI starts, with loaders in its EFI system partition. */
  private RefitPlan uefi(String... loaders) throws IOException {
    Path esp = dir.resolve("esp");
    Files.deleteIfExists(esp);
    tool("/sbin/mkfs.vfat", "-C", esp.toString(), "4096");
    String at = esp + "@@0";
    tool("mmd", "-i", at, "::EFI");
    for (String loader : loaders) {
      Path file = Files.writeString(dir.resolve("loader"), "this is " + loader);
      String directory = "::EFI/" + loader.substring(0, loader.indexOf('/'));
      new ProcessBuilder("mmd", "-D", "s", "-i", at, directory).start().onExit().join();
      tool("mcopy", "-i", at, file.toString(), "::EFI/" + loader);
    }
    byte[] table = new byte[512];
    table[446 + 4] = (byte) 0xEF;
    ByteBuffer.wrap(table)
        .order(ByteOrder.LITTLE_ENDIAN)
        .putInt(446 + 8, 2048)
        .putInt(446 + 12, 8192);
    table[510] = 0x55;
    table[511] = (byte) 0xAA;
    MemoryDevice boot = new MemoryDevice(5 << 20);
    boot.write(0, ByteBuffer.wrap(table));
    boot.write(1 << 20, ByteBuffer.wrap(Files.readAllBytes(esp)));
    guest();
    Guest guest = Guest.look(List.of(boot, device(dir.resolve("image"))));
    Hardware same = new Hardware("virtio", "virtio", "uefi");
    return Refit.plan(guest, same, same, List.of());
  }

  private static List<String> copies(RefitPlan plan) {
    assertEquals(List.of(), plan.refused());
    return plan.edits().stream()
        .map(
            e ->
                e.copyOf().replace("/STOCK/", "/stock/").replace("/SYSTEMD/", "/systemd/")
                    + " > "
                    + e.path())
        .toList();
  }

  /** The list of what it starts stays with the former firmware, on like hardware too. */
  @Test
  void aLoaderIsPutWhereFirmwareLooksThatHasNoListOfItsOwn() throws IOException {
    assertTrue(
        Refit.without(
                new Hardware("virtio", "", "uefi"), new Hardware("virtio", "", "uefi"), List.of())
            .isEmpty());
    assertEquals(List.of(), copies(uefi("BOOT/BOOTX64.EFI", "one/grubx64.efi", "two/grubx64.efi")));
    RefitPlan alone = uefi("stock/grubx64.efi");
    assertEquals(List.of("/EFI/stock/grubx64.efi > /EFI/BOOT/BOOTX64.EFI"), copies(alone));
    FileEdit made = alone.edits().get(0);
    assertEquals(FileEdit.digest("this is stock/grubx64.efi".getBytes()), made.after());
    assertEquals("", made.before(), "there is none, and the yard sees to it that there is none");
    assertEquals(
        List.of(
            "/EFI/stock/shimx64.efi > /EFI/BOOT/BOOTX64.EFI",
            "/EFI/stock/grubx64.efi > /EFI/BOOT/grubx64.efi"),
        copies(uefi("stock/shimx64.efi", "stock/grubx64.efi", "stock/fbx64.efi")));
    assertEquals(
        List.of("/EFI/systemd/systemd-bootx64.efi > /EFI/BOOT/BOOTX64.EFI"),
        copies(uefi("systemd/systemd-bootx64.efi", "Linux/kernel.efi")));
  }

  @Test
  void whatUefiCannotStartIsInTheWay() throws IOException {
    List<String> several = uefi("one/grubx64.efi", "two/grubx64.efi").refused();
    assertTrue(
        several.get(0).toLowerCase().contains("one of several loaders, /efi/one, /efi/two"),
        several + "");
    assertTrue(uefi("stock/kernel.bin").refused().get(0).contains("no EFI system partition has"));
    assertTrue(uefi("stock/shimx64.efi").refused().get(0).contains("no EFI system partition has"));
  }
}
