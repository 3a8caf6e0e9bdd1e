package bargelane.blocks.refit;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.MemoryDevice;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** What a refit decides for guests whose disk is one file system made by the system's own tool. */
class RefitPlanTest {

  private static final Hardware VIRTIO = new Hardware("virtio", "virtio");
  private static final List<Refit.Readdress> MOVED =
      List.of(new Refit.Readdress("10.20.1.21", "10.20.7.40", "255.255.255.0", "10.20.7.1"));
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
    Process made =
        new ProcessBuilder(
                "/sbin/mke2fs",
                "-q",
                "-F",
                "-t",
                "ext4",
                "-d",
                dir.resolve("content").toString(),
                image.toString(),
                "16m")
            .redirectErrorStream(true)
            .start();
    String out = new String(made.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    assertEquals(0, made.onExit().join().exitValue(), out);
    byte[] bytes = Files.readAllBytes(image);
    MemoryDevice disk = new MemoryDevice(bytes.length);
    disk.write(0, ByteBuffer.wrap(bytes));
    return Guest.look(List.of(disk));
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
}
