package bargelane.sites.libvirt;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.layout.Contents;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.blocks.refit.Card;
import bargelane.blocks.refit.FileEdit;
import bargelane.blocks.refit.Hardware;
import bargelane.blocks.refit.Refit;
import bargelane.blocks.refit.RefitPlan;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.site.Inventory;
import bargelane.sites.Compute;
import bargelane.standins.host.SmallMachines;
import java.io.IOException;
import java.net.HttpURLConnection;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;

/** A guest that was made for old-bus devices, on a host that has paravirtual ones only. */
class RefitTest extends YardHost {

  private static final Hardware OLD = new Hardware("ide", "e1000");
  private static final Hardware NEW = new Hardware("virtio", "virtio");
  private static final List<Card> MOVED =
      List.of(
          new Card("", List.of(), "10.20.1.21", "10.20.7.40", 24, "255.255.255.0", "10.20.7.1"));
  private static final List<String> DISKS = List.of("r-0", "r-1");

  private static void take(String... volumes) throws IOException {
    List<Path> images = SmallMachines.guestDisks();
    for (int i = 0; i < volumes.length; i++) {
      take(volumes[i], images.get(i));
    }
  }

  private static String define(String name, List<String> volumes) {
    return define(name, 1, 0, volumes);
  }

  private static String define(String name, int cpus, int sockets, List<String> volumes) {
    return driver
        .compute()
        .define(
            new Compute.Spec(
                name,
                OWNER,
                "",
                cpus,
                160,
                "",
                "bios",
                "",
                "",
                "",
                "",
                sockets,
                false,
                volumes,
                List.of(new PlacedNic("hithe", "10.20.7.40", false, "52:54:00:20:01:21")),
                List.of(new Inventory.Ingress("tcp", 8080, "")),
                0,
                Map.of()));
  }

  /** What the guest's initramfs says when the drivers for its root disk are not in it. */
  private static final String LOST = "no root file system: /dev/sda2 does not exist";

  /** What a machine said on its serial line so far. */
  private static String serial(String name) throws IOException {
    Path log = demo.pool().resolve("bargelane/console").resolve(name + ".log");
    return java.nio.file.Files.exists(log) ? java.nio.file.Files.readString(log) : "";
  }

  /** Whether a machine answers, or says on its serial line that it never will. */
  private static boolean answers(String id) throws IOException {
    Compute.WayIn way = driver.compute().wayIn(id, 0);
    String name = driver.compute().machine(id).name();
    long until = System.nanoTime() + TimeUnit.SECONDS.toNanos(120);
    while (System.nanoTime() < until && !serial(name).contains(LOST)) {
      try {
        HttpURLConnection http =
            (HttpURLConnection)
                URI.create("http://" + way.host() + ":" + way.port() + "/")
                    .toURL()
                    .openConnection();
        http.setConnectTimeout(1000);
        http.setReadTimeout(1000);
        String text = new String(http.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
        assertTrue(text.contains("\"disk\":\"vda\""), text);
        assertTrue(text.contains("\"processors\":2,\"sockets\":1"), text);
        return true;
      } catch (IOException e) {
        try {
          TimeUnit.MILLISECONDS.sleep(200);
        } catch (InterruptedException x) {
          throw new IOException(x);
        }
      }
    }
    return false;
  }

  @Test
  void withoutARefitItFindsNoRootDiskAndWithOneItAnswers() throws IOException {
    take("r-0", "r-1");
    take("u-0", "u-1");
    String unfit = define("unfit", List.of("u-0", "u-1"));
    driver.compute().start(unfit);
    assertFalse(answers(unfit), "a guest without the drivers can't start here");
    assertTrue(serial("unfit").contains(LOST), serial("unfit"));
    driver.compute().remove(unfit);
    RefitPlan plan = look(DISKS, g -> Refit.plan(g, OLD, NEW, MOVED));
    assertEquals(List.of(), plan.refused());
    assertEquals(List.of(), plan.unjudged());
    assertEquals("Quillhaven appliance 3", plan.os());
    assertEquals(
        List.of("/initrd.img", "/etc/fstab", "/syslinux.cfg", "/etc/network/interfaces"),
        plan.edits().stream().map(FileEdit::path).toList());
    cutShort(plan.edits().get(1));
    String told = driver.compute().refit("refit-1", OWNER, DISKS, plan.edits());
    assertTrue(told.contains("\ndone: /mnt/etc/fstab"), told);
    assertTrue(
        driver.compute().refit("refit-1", OWNER, DISKS, plan.edits()).contains("was done"),
        "a second time changes nothing");
    assertFalse(look(DISKS, g -> Refit.plan(g, OLD, NEW, List.of())).needed());
    String fit = define("fit", 2, 0, DISKS);
    driver.compute().start(fit);
    assertTrue(answers(fit));
    driver.compute().stop(fit);
    check(DISKS);
    List<FileEdit> made = plan.edits().stream().map(FileEdit::remembered).toList();
    RefitPlan back = look(DISKS, g -> Refit.reverse(g, made).orElseThrow());
    driver.compute().refit("refit-2", OWNER, DISKS, back.edits());
    assertEquals(
        plan.edits().stream().map(FileEdit::after).toList(),
        look(DISKS, g -> Refit.plan(g, OLD, NEW, MOVED)).edits().stream()
            .map(FileEdit::after)
            .toList(),
        "taken back, the same would have to be done again");
    driver.compute().remove(fit);
  }

  @Test
  void processorsAreArrangedInSockets() throws IOException {
    for (int sockets : new int[] {0, 2}) {
      String wide = define("wide", 6, sockets, List.of());
      String told = demo.virsh("dumpxml", "wide");
      String arranged = sockets == 0 ? "sockets='1'[^/]*cores='6'" : "sockets='2'[^/]*cores='3'";
      assertTrue(
          java.util.regex.Pattern.compile("<topology " + arranged).matcher(told).find(), told);
      driver.compute().remove(wide);
    }
  }

  /** Leaves a file as a yard does that died while it replaced it. */
  private static void cutShort(FileEdit e) {
    byte[] half = Arrays.copyOf(e.content(), e.content().length / 2);
    driver
        .compute()
        .refit(
            "refit-0",
            OWNER,
            DISKS,
            List.of(
                with(e, e.path(), half, e.before(), FileEdit.digest(half)),
                with(e, e.path() + ".refit", e.content(), "", e.after())));
  }

  private static FileEdit with(
      FileEdit e, String path, byte[] content, String before, String after) {
    return new FileEdit(
        e.disk(),
        e.partition(),
        e.within(),
        e.fileSystem(),
        path,
        0,
        content,
        "",
        new byte[0],
        before,
        after,
        "",
        "");
  }

  /** Checks the file systems with their own tool. */
  private static void check(List<String> volumes) throws IOException {
    for (String v : volumes) {
      String uri = driver.target().openVolume("check", v, false).uri();
      try (NbdClient disk = NbdClient.connect(NbdAddress.parse(uri))) {
        for (Contents c : Contents.of(disk)) {
          if (c.kind().equals("ext4")) {
            byte[] bytes = new byte[62 << 20];
            disk.read(c.offset(), java.nio.ByteBuffer.wrap(bytes));
            Path file = dir.resolve(v + ".ext4");
            java.nio.file.Files.write(file, bytes);
            Process p =
                new ProcessBuilder("/sbin/e2fsck", "-fn", file.toString())
                    .redirectErrorStream(true)
                    .start();
            String out = new String(p.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
            assertEquals(0, p.onExit().join().exitValue(), out);
          }
        }
      } finally {
        driver.target().closeExport("check");
      }
    }
  }
}
