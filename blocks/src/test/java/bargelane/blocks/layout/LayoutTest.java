package bargelane.blocks.layout;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTimeoutPreemptively;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.MemoryDevice;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

class LayoutTest {

  @TempDir Path dir;

  private static void run(String... command) throws IOException, InterruptedException {
    Process p = new ProcessBuilder(command).redirectErrorStream(true).start();
    String output =
        new String(p.getInputStream().readAllBytes(), java.nio.charset.StandardCharsets.UTF_8);
    assertEquals(0, p.waitFor(), output);
  }

  /** A 16 MiB file system made by the system's own tool, and its content. */
  private MemoryDevice made() throws IOException, InterruptedException {
    Path content = Files.createDirectories(dir.resolve("content/etc"));
    Files.writeString(content.resolve("hostname"), "reading-room\n");
    byte[] ones = new byte[300_000];
    Arrays.fill(ones, (byte) 0xff);
    Files.write(dir.resolve("content/ring"), ones);
    Path image = dir.resolve("disk.img");
    run("truncate", "-s", "16M", image.toString());
    run(
        "/sbin/mke2fs",
        "-q",
        "-F",
        "-t",
        "ext4",
        "-d",
        dir.resolve("content").toString(),
        image.toString());
    MemoryDevice disk = new MemoryDevice(16 << 20);
    disk.write(0, ByteBuffer.wrap(Files.readAllBytes(image)));
    return disk;
  }

  @Test
  void filesAndTheirPlacesAreFoundAsTheSystemMadeThem() throws Exception {
    MemoryDevice disk = made();
    Ext4 fs = Ext4.open(disk, 0);
    assertTrue(fs.clean());
    assertEquals(Map.of("/etc/hostname", 13L, "/ring", 300_000L), fs.files());
    List<Ext4.FileExtent> extents = fs.extents("/ring");
    assertTrue(extents.stream().mapToLong(Ext4.FileExtent::length).sum() >= 300_000);
    for (Ext4.FileExtent e : extents) {
      assertEquals((byte) 0xff, disk.bytes[(int) e.disk()]);
    }
    Ext4.FileExtent name = fs.extents("/etc/hostname").get(0);
    assertEquals(
        "reading-room\n",
        new String(disk.bytes, (int) name.disk(), 13, java.nio.charset.StandardCharsets.UTF_8));
    assertThrows(LayoutException.class, () -> fs.extents("/etc/nothing"));
    assertThrows(LayoutException.class, () -> fs.extents("/etc"));
  }

  @Test
  void damagedFileSystemsEndInAReasonAndNotInALoop() throws Exception {
    MemoryDevice sound = made();
    Random random = new Random(5);
    for (int round = 0; round < 300; round++) {
      MemoryDevice disk = new MemoryDevice(sound.bytes.length);
      System.arraycopy(sound.bytes, 0, disk.bytes, 0, sound.bytes.length);
      for (int i = 0; i < 40; i++) {
        disk.bytes[1024 + random.nextInt(200_000)] = (byte) random.nextInt();
      }
      assertTimeoutPreemptively(
          Duration.ofSeconds(10),
          () -> {
            try {
              Ext4.open(disk, 0).files();
            } catch (LayoutException expected) {
              assertTrue(expected.getMessage().length() > 10);
            }
          });
    }
  }

  @Test
  void partitionsAreReadAndImpossibleOnesRefused() throws IOException {
    MemoryDevice disk = new MemoryDevice(1 << 20);
    assertThrows(LayoutException.class, () -> Partition.read(disk));
    ByteBuffer sector = ByteBuffer.wrap(disk.bytes).order(java.nio.ByteOrder.LITTLE_ENDIAN);
    sector
        .putShort(510, (short) 0xAA55)
        .put(446, (byte) 0x80)
        .put(450, (byte) 0x83)
        .putInt(454, 64)
        .putInt(458, 100);
    assertEquals(List.of(new Partition(1, 64 * 512, 100 * 512, 0x83, true)), Partition.read(disk));
    sector.putInt(458, Integer.MAX_VALUE);
    assertThrows(LayoutException.class, () -> Partition.read(disk));
  }

  /** What begins a disk that one of the system's tools laid out, and no more. */
  private Contents of(String name, int mib, String... tool) throws Exception {
    Path image = dir.resolve(name);
    run("truncate", "-s", mib + "M", image.toString());
    String[] command = Arrays.copyOf(tool, tool.length + 1);
    command[tool.length] = image.toString();
    run(command);
    MemoryDevice head = new MemoryDevice(2 << 20);
    try (var in = Files.newInputStream(image)) {
      head.write(0, ByteBuffer.wrap(in.readNBytes(2 << 20)));
    }
    return Contents.of(head).get(0);
  }

  @Test
  void whatIsNotReadIsKnownByItsKindAndItsIdentity() throws Exception {
    String id = "51b1a001-0000-4000-8000-00000000aaaa";
    for (Contents c :
        List.of(
            of("swap", 4, "/sbin/mkswap", "-q", "-U", id),
            of("xfs", 320, "/sbin/mkfs.xfs", "-q", "-m", "uuid=" + id),
            of("btrfs", 128, "mkfs.btrfs", "-q", "-U", id))) {
      assertEquals(id, c.uuid(), c.kind());
      assertEquals(c.kind() + " is not read here", c.trouble());
      assertEquals(!c.kind().equals("swap"), c.hidden(), "a yard reads it");
    }
    MemoryDevice luks = new MemoryDevice(1 << 20);
    byte[] mark = {'L', 'U', 'K', 'S', (byte) 0xba, (byte) 0xbe};
    luks.write(0, ByteBuffer.wrap(mark));
    luks.write(168, ByteBuffer.wrap(id.getBytes(java.nio.charset.StandardCharsets.US_ASCII)));
    assertEquals(
        "luks " + id, Contents.of(luks).get(0).kind() + " " + Contents.of(luks).get(0).uuid());
  }

  /** A disk with the super block of an array at a sector, which says that it lies at another. */
  private static MemoryDevice part(int version, int sector, long told) throws IOException {
    MemoryDevice disk = new MemoryDevice(1 << 20);
    ByteBuffer block = ByteBuffer.allocate(512).order(ByteOrder.LITTLE_ENDIAN);
    block.putInt(0, 0xa92b4efc).putInt(4, version).putLong(144, told);
    disk.write(sector * 512L, block);
    return disk;
  }

  @Test
  void aPartOfAnArrayIsKnownWhereverItsSuperBlockLies() throws IOException {
    int sectors = (1 << 20) / 512;
    for (int at : new int[] {0, 8, sectors - 16}) {
      assertEquals("raid", Contents.of(part(1, at, at)).get(0).kind(), "sector " + at);
      assertThrows(LayoutException.class, () -> Contents.of(part(1, at, at + 1)), "of another");
    }
    MemoryDevice older = part(0, sectors - 128, 0);
    assertEquals("raid", Contents.of(older).get(0).kind());
    ByteBuffer table = ByteBuffer.allocate(512).order(ByteOrder.LITTLE_ENDIAN);
    table.put(450, (byte) 0x83).putInt(454, 128).putInt(458, sectors - 128);
    older.write(0, table.putShort(510, (short) 0xaa55));
    List<Contents> parted = Contents.of(older);
    assertEquals("1 raid", parted.get(0).partition() + " " + parted.get(0).kind());
  }
}
