package bargelane.blocks.layout;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTimeoutPreemptively;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.MemoryDevice;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/** File systems and tables as the system's own tools make them, and damaged ones. */
class FileTreesTest {

  private static final int SIZE = 24 << 20;

  @TempDir Path dir;

  private static void run(String input, String... command) throws IOException {
    Process p = new ProcessBuilder(command).redirectErrorStream(true).start();
    p.getOutputStream().write(input.getBytes(StandardCharsets.UTF_8));
    p.getOutputStream().close();
    String output = new String(p.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    assertEquals(0, p.onExit().join().exitValue(), output);
  }

  private Path blank(String name) throws IOException {
    Path image = dir.resolve(name);
    run("", "truncate", "-s", String.valueOf(SIZE), image.toString());
    return image;
  }

  private static MemoryDevice load(Path image) throws IOException {
    MemoryDevice disk = new MemoryDevice((int) Files.size(image));
    disk.write(0, ByteBuffer.wrap(Files.readAllBytes(image)));
    return disk;
  }

  private Path content() throws IOException {
    Path content = Files.createDirectories(dir.resolve("content/etc/deep"));
    Files.writeString(content.resolve("fstab"), "/dev/sda1 / ext4 rw 0 1\n");
    byte[] large = new byte[3_000_000];
    new Random(1).nextBytes(large);
    Files.write(dir.resolve("content/large"), large);
    Files.createSymbolicLink(dir.resolve("content/etc/absolute"), Path.of("/etc/deep/fstab"));
    Files.createSymbolicLink(dir.resolve("content/etc/relative"), Path.of("../etc/deep/fstab"));
    Files.createSymbolicLink(dir.resolve("content/etc/circle"), Path.of("circle"));
    Files.createSymbolicLink(
        dir.resolve("content/etc/long"), Path.of("deep/../".repeat(12) + "deep/fstab"));
    return dir.resolve("content");
  }

  private Path ext(String kind) throws IOException {
    Path image = blank(kind + ".img");
    run("", "/sbin/mke2fs", "-q", "-F", "-t", kind, "-d", content().toString(), image.toString());
    return image;
  }

  @ParameterizedTest
  @ValueSource(strings = {"ext2", "ext3", "ext4"})
  void everyGenerationOfExtIsReadThroughItsLinks(String kind) throws IOException {
    Ext4 fs = Ext4.open(load(ext(kind)), 0);
    assertEquals(kind, fs.kind());
    assertEquals(36, fs.uuid().length());
    assertArrayEquals(
        Files.readAllBytes(dir.resolve("content/large")), fs.read("/large", 4_000_000));
    for (String way : List.of("/etc/deep/fstab", "/etc/absolute", "/etc/relative", "/etc/long")) {
      assertEquals(
          "/dev/sda1 / ext4 rw 0 1\n", new String(fs.read(way, 100), StandardCharsets.UTF_8), way);
    }
    assertThrows(LayoutException.class, () -> fs.read("/etc/circle", 100));
    assertThrows(LayoutException.class, () -> fs.read("/large", 1000), "more than was asked for");
    assertTrue(fs.size("/etc/nothing").isEmpty());
    assertEquals(List.of(), fs.list("/nowhere"));
  }

  @ParameterizedTest
  @ValueSource(strings = {"ext2", "ext3", "ext4"})
  void whatIsFreeIsCountedAsTheSystemsOwnToolCountsIt(String kind) throws IOException {
    Path image = ext(kind);
    Process p = new ProcessBuilder("/sbin/dumpe2fs", "-h", image.toString()).start();
    Map<String, Long> told = new HashMap<>();
    for (String line :
        new String(p.getInputStream().readAllBytes(), StandardCharsets.UTF_8).split("\n")) {
      String[] words = line.split(": +");
      if (words.length == 2 && words[1].matches("\\d+")) {
        told.put(words[0], Long.parseLong(words[1]));
      }
    }
    FileTree.Room room = Ext4.open(load(image), 0).room().orElseThrow();
    assertTrue(room.writable());
    long kept = kind.equals("ext4") ? told.get("Block count") / 50 : 0;
    assertEquals((told.get("Free blocks") - kept) * told.get("Block size"), room.bytes());
    assertEquals(told.get("Free inodes"), room.files());
    run("", "/sbin/tune2fs", "-O", "read-only", image.toString());
    assertFalse(Ext4.open(load(image), 0).room().orElseThrow().writable());
  }

  @Test
  void whatAnUncleanJournalHoldsCommittedIsWhatIsRead() throws IOException {
    Path image = ext("ext4");
    MemoryDevice before = load(image);
    Ext4.FileExtent text = Ext4.open(before, 0).extents("/etc/deep/fstab").get(0);
    int block = 1024 << before.bytes[1024 + 24];
    byte[] fresh = new byte[block];
    byte[] words = "UUID=of-the-disk / ext4 ".getBytes(StandardCharsets.UTF_8);
    System.arraycopy(words, 0, fresh, 0, words.length);
    Files.write(dir.resolve("block"), fresh);
    run(
        "jo\njw -b " + text.disk() / block + " " + dir.resolve("block") + "\njc\n",
        "/sbin/debugfs",
        "-w",
        image.toString());
    MemoryDevice disk = load(image);
    assertEquals(before.bytes[(int) text.disk()], disk.bytes[(int) text.disk()], "not replayed");
    Ext4 fs = Ext4.open(disk, 0);
    assertFalse(fs.clean());
    assertEquals(
        new String(words, StandardCharsets.UTF_8),
        new String(fs.read("/etc/deep/fstab", 100), StandardCharsets.UTF_8));
  }

  private Path fat(String bits) throws IOException {
    Path image = dir.resolve("fat" + bits + ".img");
    run(
        "",
        "truncate",
        "-s",
        bits.equals("32") ? "40M" : bits.equals("12") ? "2M" : "24M",
        image.toString());
    run("", "/sbin/mkfs.vfat", "-F", bits, "-i", "51b1b007", image.toString());
    Path file = dir.resolve("A configuration with a long name.cfg");
    Files.writeString(file, "DEFAULT guest\n".repeat(3000));
    run("", "mmd", "-i", image.toString(), "::loader");
    run("", "mcopy", "-i", image.toString(), file.toString(), "::loader");
    return image;
  }

  @ParameterizedTest
  @ValueSource(strings = {"12", "16", "32"})
  void everyWidthOfFatIsReadByLongNames(String bits) throws IOException {
    Path image = fat(bits);
    Fat fs = Fat.open(load(image), 0);
    assertEquals("51B1-B007", fs.uuid());
    Process p = new ProcessBuilder("mdir", "-i", image.toString(), "::").start();
    String told = new String(p.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    assertEquals(
        told.replaceAll("(?s).*?([\\d ]+) bytes free\\s*", "$1").replace(" ", ""),
        String.valueOf(fs.room().orElseThrow().bytes()));
    assertEquals(List.of("A configuration with a long name.cfg"), fs.list("/LOADER"));
    assertEquals(
        "DEFAULT guest\n".repeat(3000),
        new String(
            fs.read("/loader/a CONFIGURATION with a long name.cfg", 100_000),
            StandardCharsets.UTF_8));
    assertThrows(LayoutException.class, () -> fs.read("/loader", 10));
  }

  private Path table(String label, String rest) throws IOException {
    Path image = blank(label + ".img");
    run("label: " + label + "\n" + rest, "/sbin/sfdisk", "-q", image.toString());
    return image;
  }

  @Test
  void bothKindsOfTablesAreReadWithTheirLogicalPartitions() throws IOException {
    List<Partition> gpt =
        Partition.read(load(table("gpt", "size=4M, type=U\nsize=8M, type=L\nsize=1M, type=S\n")));
    assertEquals(List.of(Partition.EFI, 0x83, 0x82), gpt.stream().map(Partition::type).toList());
    assertEquals(1 << 20, gpt.get(0).offset());
    assertEquals(8 << 20, gpt.get(1).length());
    List<Partition> dos =
        Partition.read(
            load(
                table(
                    "dos",
                    "size=4M, type=c, bootable\ntype=5\nsize=2M, type=83\nsize=3M, type=8e\n")));
    assertEquals(List.of(1, 5, 6), dos.stream().map(Partition::number).toList());
    assertEquals(List.of(0x0c, 0x83, 0x8e), dos.stream().map(Partition::type).toList());
    assertEquals(3 << 20, dos.get(2).length());
  }

  @Test
  void aChainOfPartitionsThatRunsInACircleIsRefused() throws IOException {
    MemoryDevice disk = load(table("dos", "type=5\nsize=2M, type=83\nsize=3M, type=83\n"));
    ByteBuffer b = ByteBuffer.wrap(disk.bytes).order(java.nio.ByteOrder.LITTLE_ENDIAN);
    int first = b.getInt(446 + 8) * 512;
    int second = first + b.getInt(first + 462 + 8) * 512;
    b.put(second + 446 + 16 + 4, (byte) 5).putInt(second + 462 + 8, (second - first) / 512);
    assertTrue(
        assertThrows(LayoutException.class, () -> Partition.read(disk))
            .getMessage()
            .contains("does not end"));
  }

  @Test
  void whatIsNotReadIsNamed() throws IOException {
    MemoryDevice disk = load(table("dos", "size=4M, type=8e\nsize=4M, type=7\nsize=4M, type=83\n"));
    mark(disk, Partition.read(disk).get(0).offset() + 512, "LABELONE");
    mark(disk, Partition.read(disk).get(1).offset() + 3, "NTFS    ");
    mark(disk, Partition.read(disk).get(2).offset(), "XFSB");
    assertEquals(
        List.of("lvm2", "ntfs", "xfs"), Contents.of(disk).stream().map(Contents::kind).toList());
    assertTrue(Contents.of(disk).stream().allMatch(c -> c.tree().isEmpty()));
  }

  private static void mark(MemoryDevice disk, long at, String text) {
    byte[] raw = text.getBytes(StandardCharsets.ISO_8859_1);
    System.arraycopy(raw, 0, disk.bytes, (int) at, raw.length);
  }

  @ParameterizedTest
  @ValueSource(strings = {"ext2", "ext3", "ext4", "fat12", "fat16", "fat32", "gpt", "dos"})
  void damageEndsInAReasonInBoundedTime(String kind) throws IOException {
    Path image =
        kind.startsWith("ext")
            ? ext(kind)
            : kind.startsWith("fat")
                ? fat(kind.substring(3))
                : table(
                    kind, kind.equals("gpt") ? "size=4M\nsize=4M\n" : "type=5\nsize=2M\nsize=2M\n");
    MemoryDevice sound = load(image);
    Random random = new Random(7);
    for (int round = 0; round < 150; round++) {
      MemoryDevice disk = new MemoryDevice(sound.bytes.length);
      System.arraycopy(sound.bytes, 0, disk.bytes, 0, sound.bytes.length);
      int reach = List.of(512, 4096, 400_000).get(round % 3);
      for (int i = 0; i < 30; i++) {
        disk.bytes[random.nextInt(reach)] = (byte) random.nextInt();
      }
      if (round % 5 == 0) {
        Arrays.fill(disk.bytes, 1024 + random.nextInt(8192), 40_000, (byte) 0xff);
      }
      assertTimeoutPreemptively(Duration.ofSeconds(20), () -> walk(disk));
    }
  }

  /** Reads all there is; only a reason may come of it. */
  private static void walk(MemoryDevice disk) throws IOException {
    try {
      for (Contents c : Contents.of(disk)) {
        if (c.tree().isPresent()) {
          FileTree tree = c.tree().get();
          for (String directory : List.of("/", "/etc", "/loader")) {
            for (String name : tree.list(directory)) {
              try {
                tree.read(directory + "/" + name, 4_000_000);
              } catch (LayoutException expected) {
                assertTrue(expected.getMessage().length() > 10);
              }
            }
          }
        }
      }
    } catch (LayoutException expected) {
      assertTrue(expected.getMessage().length() > 10);
    }
  }
}
