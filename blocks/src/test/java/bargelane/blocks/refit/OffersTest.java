package bargelane.blocks.refit;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.junit.jupiter.api.Test;

/** What a refit offers besides what a guest needs. */
class OffersTest extends PlannedGuest {

  private static final String DROP_IN =
      "/etc/systemd/system/sysinit.target.d/50-bargelane-time.conf";

  private RefitPlan planned(String... wanted) throws IOException {
    return Refit.plan(guest(), VIRTIO, VIRTIO, MOVED, List.of(wanted));
  }

  private static Set<String> names(RefitPlan plan) {
    return Set.copyOf(plan.offers().stream().map(Offer::name).toList());
  }

  private void grub(String arguments) throws IOException {
    put(
        "boot/grub/grub.cfg",
        "set timeout=1\nmenuentry 'a' {\n  linux /boot/vmlinuz root=UUID=1 ro"
            + arguments
            + "  \n  initrd /boot/initrd\n}\nmenuentry 'b' {\n\tlinux\t/boot/vmlinuz root=UUID=1 ro"
            + arguments
            + " single\n\tinitrd\t/boot/initrd\n}\n");
    put("etc/default/grub", "GRUB_TIMEOUT=1\nGRUB_CMDLINE_LINUX='quiet'\n");
  }

  @Test
  void aSerialConsoleIsAddedWhereItIsWantedAndNowhereElse() throws IOException {
    grub("");
    assertEquals(Set.of("serial-console"), names(planned()));
    assertEquals(Set.of("/etc/netplan/50.yaml"), changes(planned()).keySet());
    RefitPlan wanted = planned("serial-console", "time-sync");
    assertEquals(Set.of("serial-console"), names(wanted), "it is offered still");
    Map<String, String> changes = changes(wanted);
    assertEquals(3, changes.size());
    assertEquals(
        "set timeout=1\nmenuentry 'a' {\n"
            + "  linux /boot/vmlinuz root=UUID=1 ro console=tty0 console=ttyS0,115200n8\n"
            + "  initrd /boot/initrd\n}\nmenuentry 'b' {\n"
            + "\tlinux\t/boot/vmlinuz root=UUID=1 ro single console=tty0 console=ttyS0,115200n8\n"
            + "\tinitrd\t/boot/initrd\n}\n",
        changes.get("/boot/grub/grub.cfg"));
    assertEquals(
        "GRUB_TIMEOUT=1\nGRUB_CMDLINE_LINUX=\"quiet console=tty0 console=ttyS0,115200n8\"\n",
        changes.get("/etc/default/grub"));
  }

  @Test
  void whatHasOneAlreadyIsOfferedNone() throws IOException {
    grub(" console=ttyS1,9600");
    assertEquals(Set.of(), names(planned()));
    assertEquals(Set.of("/etc/netplan/50.yaml"), changes(planned("serial-console")).keySet());
  }

  @Test
  void aFileThatChangesAnywayIsChangedOnce() throws IOException {
    put(
        "boot/grub/grub.cfg",
        "menuentry 'a' {\n  linux /boot/vmlinuz root=/dev/sda ro\n  initrd /boot/initrd\n}\n");
    RefitPlan plan =
        Refit.plan(
            guest(), new Hardware("ide", "virtio"), VIRTIO, MOVED, List.of("serial-console"));
    List<FileEdit> grub =
        plan.edits().stream().filter(e -> e.path().equals("/boot/grub/grub.cfg")).toList();
    assertEquals(1, grub.size());
    assertTrue(
        changes(plan)
            .get("/boot/grub/grub.cfg")
            .contains(
                "root=UUID=51b1a001-0000-4000-8000-000000000001 ro console=tty0 console=ttyS0"),
        changes(plan) + "");
    assertTrue(
        grub.get(0).difference().startsWith("-   linux /boot/vmlinuz root=/dev/sda ro\n"),
        grub.get(0).difference());
  }

  @Test
  void aServiceThatKeepsTheClockIsBegunWhereThereIsOneAndNoneIs() throws IOException {
    assertEquals(Set.of(), names(planned()));
    put("usr/lib/systemd/system/systemd-timesyncd.service", "[Service]\n");
    assertEquals(Set.of("time-sync"), names(planned()));
    assertTrue(
        changes(planned("time-sync")).get(DROP_IN).contains("Wants=systemd-timesyncd.service"));
    put("etc/systemd/system/multi-user.target.wants/chrony.service", "");
    assertEquals(Set.of(), names(planned()));
  }
}
