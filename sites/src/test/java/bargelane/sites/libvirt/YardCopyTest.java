package bargelane.sites.libvirt;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.layout.Contents;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.blocks.refit.Card;
import bargelane.blocks.refit.FileEdit;
import bargelane.blocks.refit.Guest;
import bargelane.blocks.refit.Hardware;
import bargelane.blocks.refit.Refit;
import bargelane.blocks.refit.RefitPlan;
import bargelane.sites.SiteException;
import bargelane.standins.host.SmallMachines;
import java.io.IOException;
import java.io.InputStream;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionException;
import java.util.stream.Stream;
import java.util.zip.GZIPInputStream;
import org.junit.jupiter.api.Test;

/** What a yard copies out of guests is what their own kernels see. */
class YardCopyTest extends YardHost {

  private static final String COPIED = "copied";

  private static void copy(List<String> volumes, List<String> places) {
    driver.target().deleteVolume(COPIED);
    driver.target().createVolume(COPIED, OWNER, 1L << 30, "pool", "");
    driver.compute().look("looks", OWNER, volumes, places, COPIED);
  }

  private static void tool(String... command) throws IOException {
    Process made = new ProcessBuilder(command).redirectErrorStream(true).start();
    String out = new String(made.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    assertEquals(0, made.onExit().join().exitValue(), out);
  }

  private static Path blank(String name, int mib) throws IOException {
    Path image = dir.resolve(name);
    try (FileChannel file =
        FileChannel.open(
            image,
            java.nio.file.StandardOpenOption.CREATE,
            java.nio.file.StandardOpenOption.WRITE)) {
      file.write(ByteBuffer.allocate(1), (long) mib * MIB - 1);
    }
    return image;
  }

  private static List<String> told(RefitPlan plan) {
    List<String> told = new ArrayList<>(plan.refused());
    told.addAll(plan.unjudged());
    told.add(plan.os());
    plan.edits().forEach(e -> told.add(e.partition() + e.path() + e.before() + " > " + e.after()));
    return told;
  }

  @Test
  void aPlanIsTheSameWithOurReadersAndWithTheKernels() throws IOException {
    List<Path> images = SmallMachines.guestDisks();
    List<String> disks = List.of("g-0", "g-1");
    take("g-0", images.get(0));
    take("g-1", images.get(1));
    Use<RefitPlan> plan =
        g ->
            Refit.plan(
                g,
                new Hardware("ide", "e1000"),
                new Hardware("virtio", "virtio"),
                List.of(
                    new Card(
                        "",
                        List.of(),
                        "10.20.1.21",
                        "10.20.7.40",
                        24,
                        "255.255.255.0",
                        "10.20.7.1")));
    List<String> ours = told(look(disks, plan));
    assertTrue(ours.size() > 4, ours.toString());
    copy(disks, List.of("0/1", "0/2", "1/1"));
    assertEquals(ours, told(look(disks, Optional.of(COPIED), plan)));
    assertEquals(
        List.of("vfat", "ext4", "ext4"),
        look(
            disks,
            Optional.of(COPIED),
            g ->
                g.contents().stream()
                    .flatMap(List::stream)
                    .filter(c -> !(c.tree().orElseThrow() instanceof bargelane.blocks.layout.Ext4))
                    .map(Contents::kind)
                    .toList()),
        "of the copied files");
  }

  /** Files of a system that is hardly one. */
  private static Path content(String name) throws IOException {
    Path content = dir.resolve("content-" + name);
    Files.createDirectories(content.resolve("etc/network"));
    Files.createDirectories(content.resolve("usr/lib"));
    Files.createDirectories(content.resolve("usr/share"));
    Files.writeString(content.resolve("etc/fstab"), "LABEL=" + name + " / auto defaults 0 1\n");
    Files.writeString(content.resolve("etc/hostname"), name + "\n");
    Files.writeString(content.resolve("usr/lib/os-release"), "NAME=\"" + name + " 1\"\n");
    Files.createSymbolicLink(content.resolve("etc/os-release"), Path.of("/usr/lib/os-release"));
    Files.writeString(content.resolve("usr/share/other"), "of no interest");
    Files.createDirectories(content.resolve("usr/lib/systemd/system"));
    Files.writeString(content.resolve("usr/lib/systemd/system/a.service"), "[Unit]\n");
    Files.createSymbolicLink(content.resolve("lib"), Path.of("usr/lib"));
    // Names that would lead out of the guest, and into the yard.
    Path modules = Files.createDirectories(content.resolve("usr/lib/modules/6.1"));
    Files.writeString(modules.resolve("modules.dep"), "../../../../../refit/sd_mod.ko:\n");
    Path lines = Files.createDirectories(content.resolve("etc/network/a\n"));
    Files.writeString(lines.resolve("b"), "a name of two lines");
    return content;
  }

  /** A volume of two pieces that another volume lies between, as its own tools laid it out. */
  private static Path physicalVolume(Path fileSystem) throws IOException {
    Path image = blank("volumes.raw", 16);
    byte[] bytes = Files.readAllBytes(fileSystem);
    try (FileChannel file = FileChannel.open(image, java.nio.file.StandardOpenOption.WRITE);
        InputStream head = YardCopyTest.class.getResourceAsStream("/physical-volume.gz")) {
      file.write(ByteBuffer.wrap(new GZIPInputStream(head).readAllBytes()), 0);
      file.write(ByteBuffer.wrap(bytes, 0, 4 * MIB), MIB);
      file.write(ByteBuffer.wrap(bytes, 4 * MIB, 4 * MIB), 9 * MIB);
    }
    return image;
  }

  private static Path xfs(String name, Path content) throws IOException {
    Path layout = dir.resolve("layout");
    Files.writeString(
        layout,
        String.join(
            "\n",
            "/none",
            "0 0",
            "d--755 0 0",
            "etc d--755 0 0",
            "fstab ---644 0 0 " + content.resolve("etc/fstab"),
            "hostname ---640 7 7 " + content.resolve("etc/hostname"),
            "$",
            "$",
            ""));
    Path image = blank(name, 320);
    tool("/sbin/mkfs.xfs", "-q", "-p", layout.toString(), image.toString());
    return image;
  }

  @Test
  void fileSystemsThatAreNotReadHereAreLookedIntoAndEditedThroughTheYard() throws IOException {
    Path btrfs = blank("btrfs.raw", 128);
    tool("mkfs.btrfs", "-q", "--rootdir", content("b").toString(), btrfs.toString());
    Path ext4 = blank("ext4.raw", 8);
    tool("/sbin/mke2fs", "-q", "-t", "ext4", "-d", content("l").toString(), ext4.toString());
    List<String> disks = List.of("b", "l", "x");
    take("b", btrfs);
    take("l", physicalVolume(ext4));
    take("x", xfs("x.raw", content("x")));
    List<String> hidden = look(disks, Guest::hidden);
    assertEquals(List.of("0/0", "1/0", "2/0"), hidden);
    copy(disks, hidden);
    List<FileEdit> edits = new ArrayList<>();
    look(
        disks,
        Optional.of(COPIED),
        g -> {
          assertEquals(List.of(), g.hidden(), "nothing is hidden any more");
          assertEquals(List.of(), g.unread());
          assertEquals("b 1", g.os(), "a link from the root is one of its own root");
          assertTrue(
              found(g, 0).tree().orElseThrow().size("/usr/share/other").isEmpty(),
              "only what is decided by");
          for (String name : disks) {
            edits.add(renamed(g, disks.indexOf(name), name));
          }
          return null;
        });
    assertEquals(
        List.of("", "volume:stock/root", ""), edits.stream().map(FileEdit::within).toList());
    String told = driver.compute().refit("edits", OWNER, disks, edits);
    assertEquals(3, told.lines().filter(l -> l.equals("done: /mnt/etc/hostname")).count(), told);
    assertEquals(
        3,
        driver
            .compute()
            .refit("edits", OWNER, disks, edits)
            .lines()
            .filter(l -> l.equals("was done: /mnt/etc/hostname"))
            .count());
    copy(disks, hidden);
    look(
        disks,
        Optional.of(COPIED),
        g -> {
          for (FileEdit e : edits) {
            assertArrayEquals(
                e.content(), found(g, e.disk()).tree().orElseThrow().read("/etc/hostname", 100));
          }
          return null;
        });
  }

  private static Contents found(Guest g, int disk) {
    List<Contents> with =
        g.contents().get(disk).stream().filter(c -> c.tree().isPresent()).toList();
    assertEquals(1, with.size(), with.toString());
    return with.get(0);
  }

  private static FileEdit renamed(Guest g, int disk, String name) throws IOException {
    Contents c = found(g, disk);
    byte[] before = c.tree().orElseThrow().read("/etc/hostname", 100);
    assertEquals(name + "\n", new String(before, StandardCharsets.UTF_8));
    assertFalse(c.tree().orElseThrow().uuid().isEmpty());
    byte[] after = ("other-" + name + "\n").getBytes(StandardCharsets.UTF_8);
    return new FileEdit(
        disk,
        c.partition(),
        c.within(),
        c.kind(),
        "/etc/hostname",
        0,
        after,
        "",
        before,
        FileEdit.digest(before),
        FileEdit.digest(after),
        "",
        "");
  }

  /**
   * Both halves of two mirrors of 16 MiB, as their own tool made them: of the first the super block
   * lies before its data, of the second behind it.
   */
  private static List<Path> mirrors(Path first, Path second) throws IOException {
    byte[] blocks;
    try (InputStream in = YardCopyTest.class.getResourceAsStream("/array-parts.gz")) {
      blocks = new GZIPInputStream(in).readAllBytes();
    }
    int each = blocks.length / 4;
    List<Path> images = new ArrayList<>();
    for (int i = 0; i < 4; i++) {
      Path image = blank("half-" + i + ".raw", 16);
      boolean before = i < 2;
      try (FileChannel file = FileChannel.open(image, java.nio.file.StandardOpenOption.WRITE)) {
        file.write(ByteBuffer.wrap(Files.readAllBytes(before ? first : second)), before ? MIB : 0);
        file.write(ByteBuffer.wrap(blocks, i * each, each), before ? 0 : 16 * MIB - each);
      }
      images.add(image);
    }
    return images;
  }

  @Test
  void whatAMirrorHoldsIsLookedIntoAndEditedOnBothItsHalves() throws IOException {
    List<Path> holds = new ArrayList<>();
    for (String name : List.of("p", "q")) {
      Path ext4 = blank(name + ".raw", 15);
      tool("/sbin/mke2fs", "-q", "-t", "ext4", "-d", content(name).toString(), ext4.toString());
      holds.add(ext4);
    }
    List<String> disks = List.of("p0", "p1", "q0", "q1");
    List<Path> images = mirrors(holds.get(0), holds.get(1));
    for (int i = 0; i < 4; i++) {
      take(disks.get(i), images.get(i));
    }
    List<String> hidden = look(disks, Guest::hidden);
    assertEquals(
        List.of("0/0", "1/0", "2/0", "3/0"), hidden, "a half is not taken for what it holds");
    copy(disks, hidden);
    List<FileEdit> edits = new ArrayList<>();
    look(
        disks,
        Optional.of(COPIED),
        g -> {
          assertEquals(List.of(), g.hidden());
          assertEquals(List.of(), g.unread());
          edits.add(renamed(g, 0, "p"));
          edits.add(renamed(g, 2, "q"));
          return null;
        });
    assertEquals(
        List.of(
            "array:11111111:22222222:33333333:44444444",
            "array:55555555:66666666:77777777:88888888"),
        edits.stream().map(FileEdit::within).toList());
    String told = driver.compute().refit("edits", OWNER, disks, edits);
    assertEquals(2, told.lines().filter(l -> l.equals("done: /mnt/etc/hostname")).count(), told);
    // The other half by itself holds what was written.
    List<String> halves = List.of("p1", "q1");
    copy(halves, List.of("0/0", "1/0"));
    look(
        halves,
        Optional.of(COPIED),
        g -> {
          for (FileEdit e : edits) {
            assertArrayEquals(
                e.content(),
                found(g, e.disk() / 2).tree().orElseThrow().read("/etc/hostname", 100));
          }
          return null;
        });
  }

  private static String machine(String name) {
    return driver.inventory().machines().stream()
        .filter(m -> m.name().equals(name))
        .findFirst()
        .orElseThrow()
        .platformId();
  }

  private static String debugged(Path image, String request) throws IOException {
    Process p =
        new ProcessBuilder("/sbin/debugfs", "-w", "-R", request, image.toString())
            .redirectErrorStream(true)
            .start();
    return new String(p.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
  }

  /** What a volume holds now, as a file. */
  private static Path written(String volume, int mib) throws IOException {
    ByteBuffer bytes = ByteBuffer.allocate(mib * MIB);
    String uri = driver.target().openVolume("written", volume, false).uri();
    try (NbdClient disk = NbdClient.connect(NbdAddress.parse(uri))) {
      disk.read(0, bytes);
    } finally {
      driver.target().closeExport("written");
    }
    return Files.write(dir.resolve(volume + ".now"), bytes.array());
  }

  private static FileEdit added(Guest g, String path) {
    Contents c = found(g, 0);
    byte[] content = "[Match]\n".getBytes(StandardCharsets.UTF_8);
    return new FileEdit(
        0,
        c.partition(),
        c.within(),
        c.kind(),
        path,
        0,
        content,
        "",
        new byte[0],
        "",
        FileEdit.digest(content),
        "",
        "");
  }

  @Test
  void aYardThatWasPreparedIsGivenItsDisksAndOneThatDiedIsStartedAgain() throws IOException {
    Path yard = Files.createDirectories(dir.resolve("yard"));
    List<String> parts = List.of("yard-kernel", "yard-initrd");
    for (String part : parts) {
      Files.copy(SmallMachines.yard().resolve(part), yard.resolve(part));
    }
    LibvirtDriver own =
        new LibvirtDriver("own", demo.address("&reserve-mib=16&yard=" + yard), Clock.systemUTC());
    Path ext4 = blank("w.raw", 8);
    tool("/sbin/mke2fs", "-q", "-t", "ext4", "-d", content("w").toString(), ext4.toString());
    String label = "system_u:object_r:etc_t:s0";
    debugged(ext4, "ea_set /etc security.selinux " + label);
    take("w", ext4);
    List<FileEdit> edits =
        look(List.of("w"), g -> List.of(renamed(g, 0, "w"), added(g, "/etc/some/where/new.link")));
    own.compute().prepareYard("other", OWNER);
    String told = "";
    for (int tries = 1; told.isEmpty(); tries++) {
      own.compute().prepareYard("ready", OWNER);
      own.compute().prepareYard("ready", OWNER);
      for (String part : parts) {
        Files.move(yard.resolve(part), yard.resolve(part + "-away"));
      }
      try {
        told = own.compute().refit("ready", OWNER, List.of("w"), edits);
      } catch (SiteException e) {
        // A guest that is emulated on a busy machine may end as it starts; whoever asks asks again.
        if (tries == 3 || !e.code().equals("yard-ended")) {
          throw e;
        }
      } finally {
        for (String part : parts) {
          Files.move(yard.resolve(part + "-away"), yard.resolve(part));
        }
      }
    }
    assertTrue(told.contains("done: /mnt/etc/hostname"), "no other was started: " + told);
    assertTrue(
        debugged(written("w", 8), "ea_get /etc/some/where/new.link security.selinux")
            .contains(label),
        "what is new has the label of what it is in");
    // One that is killed in its work may be asked again.
    CompletableFuture<String> killed =
        CompletableFuture.supplyAsync(
            () -> own.compute().refit("third", OWNER, List.of("w"), edits));
    while (driver.inventory().machines().stream()
        .noneMatch(m -> m.name().equals("third") && m.on())) {
      assertFalse(killed.isDone(), "it was quicker than this test");
    }
    demo.killGuest("third");
    SiteException ended =
        (SiteException) assertThrows(CompletionException.class, killed::join).getCause();
    assertEquals(SiteException.Kind.MAY_PASS, ended.kind(), ended.getMessage());
    demo.virsh("destroy", "other");
    told = own.compute().refit("other", OWNER, List.of("w"), edits);
    assertTrue(told.contains("was done: /mnt/etc/hostname"), told);
    assertTrue(
        driver.inventory().machines().stream()
            .noneMatch(m -> List.of("ready", "other", "third").contains(m.name())));
    own.compute().prepareYard("unused", OWNER);
    own.compute().remove(machine("unused"));
    try (Stream<Path> left = Files.list(demo.pool().resolve("bargelane/yard"))) {
      assertEquals(
          List.of("yard-initrd", "yard-kernel"),
          left.map(p -> p.getFileName().toString().replaceFirst("-[0-9a-f]{16}[.]plain$", ""))
              .distinct()
              .sorted()
              .toList());
    }
  }

  @Test
  void aFileSystemThatTheKernelRefusesIsNamedWithItsReason() throws IOException {
    Path image = blank("broken.raw", 320);
    byte[] head = Files.readAllBytes(xfs("y.raw", content("y")));
    Arrays.fill(head, 512, 4 * MIB, (byte) 0x5a);
    Files.write(image, head);
    take("n", image);
    copy(List.of("n"), List.of("0/0"));
    String why = look(List.of("n"), Optional.of(COPIED), g -> g.unread().get(0));
    assertTrue(why.startsWith("disk 0 partition 0: the yard "), why);
  }
}
