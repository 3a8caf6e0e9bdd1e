package bargelane.blocks.refit;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;

/** What a refit decides of a guest's addresses, cards, mounts and first-boot data. */
class RefitPlanTest extends PlannedGuest {

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
}
