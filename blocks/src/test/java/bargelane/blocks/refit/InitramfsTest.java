package bargelane.blocks.refit;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTimeoutPreemptively;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.layout.LayoutException;
import com.github.luben.zstd.ZstdOutputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.Arrays;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.zip.GZIPInputStream;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.tukaani.xz.LZMA2Options;
import org.tukaani.xz.XZOutputStream;

class InitramfsTest {

  private static final byte[] EARLY =
      Initramfs.write(Map.of("kernel/x86/microcode.bin", new byte[5000]));
  private static final byte[] MAIN =
      Initramfs.write(
          Map.of(
              "conf/modules",
              "sd_mod\n".getBytes(StandardCharsets.UTF_8),
              "usr/lib/modules/6.1.0/kernel/drivers/scsi/sd-mod.ko.xz",
              new byte[100_000]));

  private static byte[] pack(String how, byte[] archive) throws IOException {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    try (OutputStream packed =
        switch (how) {
          case "gzip" -> new GZIPOutputStream(out);
          case "xz" -> new XZOutputStream(out, new LZMA2Options(1));
          case "zstd" -> new ZstdOutputStream(out);
          default -> out;
        }) {
      packed.write(archive);
    }
    return out.toByteArray();
  }

  private static byte[] join(byte[]... parts) {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    for (byte[] part : parts) {
      out.writeBytes(part);
      out.writeBytes(new byte[-out.size() & 3]);
    }
    return out.toByteArray();
  }

  @ParameterizedTest
  @ValueSource(strings = {"plain", "gzip", "xz", "zstd"})
  void archivesAreReadOneAfterTheOtherHoweverTheyArePacked(String how) throws IOException {
    Initramfs read = Initramfs.read(join(EARLY, pack(how, MAIN)));
    assertTrue(read.names().contains("kernel/x86/microcode.bin"));
    assertTrue(read.modules("6.1.0").containsKey("sd_mod"));
    assertEquals(Optional.of("6.1.0"), read.kernel());
    assertEquals(Initramfs.Style.LIST, read.style());
    assertArrayEquals(
        "sd_mod\n".getBytes(StandardCharsets.UTF_8), read.texts().get("conf/modules"));
  }

  @ParameterizedTest
  @ValueSource(strings = {"plain", "gzip", "xz", "zstd"})
  void aSupplementAfterAPackedArchiveIsSeen(String how) throws IOException {
    byte[] more = Initramfs.write(Map.of("lib/modules/6.1.0/kernel/virtio_blk.ko", new byte[10]));
    assertEquals(
        "kernel/virtio_blk.ko",
        Initramfs.read(join(pack(how, MAIN), more)).modules("6.1.0").get("virtio_blk"));
  }

  /** An archive that the lz4 program packed with its option for kernels; two blocks. */
  private static byte[] lz4() throws IOException {
    try (GZIPInputStream in =
        new GZIPInputStream(InitramfsTest.class.getResourceAsStream("archive.cpio.lz4.gz"))) {
      return in.readAllBytes();
    }
  }

  @Test
  void aFrameOfLz4IsReadAndGoesOnWithWhatIsAdded() throws IOException {
    byte[] packed = lz4();
    byte[] file = Arrays.copyOf(EARLY, EARLY.length + packed.length);
    System.arraycopy(packed, 0, file, EARLY.length, packed.length);
    Initramfs read = Initramfs.read(file);
    assertEquals(Optional.of("6.1.0"), read.kernel());
    assertEquals("sd_mod\n", new String(read.texts().get("conf/modules"), StandardCharsets.UTF_8));
    byte[] large = new byte[9 << 20];
    new Random(4).nextBytes(large);
    byte[] more = read.more(file, Map.of("lib/modules/6.1.0/kernel/virtio_blk.ko", large));
    ByteArrayOutputStream both = new ByteArrayOutputStream();
    both.writeBytes(file);
    both.writeBytes(more);
    assertEquals(
        "kernel/virtio_blk.ko",
        Initramfs.read(both.toByteArray()).modules("6.1.0").get("virtio_blk"));
  }

  @Test
  void aDamagedFrameOfLz4EndsAsDamaged() throws IOException {
    byte[] file = lz4();
    Random random = new Random(5);
    for (int i = 0; i < 60; i++) {
      byte[] torn = Arrays.copyOf(file, 5 + random.nextInt(file.length - 5));
      torn[4 + random.nextInt(Math.min(40, torn.length - 4))] = (byte) random.nextInt();
      try {
        Initramfs.read(torn);
      } catch (LayoutException e) {
        // As it should be; any other failure fails the test.
      }
    }
    byte[] padded = Arrays.copyOf(file, file.length + 8);
    assertThrows(LayoutException.class, () -> Initramfs.read(padded), "kernels stop at padding");
  }

  /** An archive of the system's own tool, of a tree with links. */
  private static byte[] archive(Path tree) throws IOException {
    Process p =
        new ProcessBuilder("sh", "-c", "find . -mindepth 1 | cpio -o -H newc --quiet")
            .directory(tree.toFile())
            .start();
    byte[] bytes = p.getInputStream().readAllBytes();
    assertEquals(0, p.onExit().join().exitValue());
    return bytes;
  }

  @Test
  void pathsFollowTheLinksOfTheArchive(@TempDir Path dir) throws IOException {
    Files.createDirectories(dir.resolve("usr/lib/modules/6.1.0/kernel"));
    Files.createDirectories(dir.resolve("conf"));
    Files.writeString(dir.resolve("conf/arch.conf"), "DPKG_ARCH=amd64\n");
    Files.write(dir.resolve("usr/lib/modules/6.1.0/kernel/sd_mod.ko"), new byte[8]);
    Files.createSymbolicLink(dir.resolve("lib"), Path.of("usr/lib"));
    Files.createSymbolicLink(dir.resolve("etc"), Path.of("/usr/../usr/lib/etc"));
    Files.createSymbolicLink(dir.resolve("round"), Path.of("round/again"));
    Initramfs read = Initramfs.read(archive(dir));
    assertEquals(
        "usr/lib/modules/6.1.0/modules.dep", read.resolved("lib/modules/6.1.0/modules.dep"));
    assertEquals("usr/lib/etc/a", read.resolved("etc/a"));
    assertEquals("round", read.resolved("round").replaceAll("/.*", ""));
    assertEquals(Map.of("sd_mod", "kernel/sd_mod.ko"), read.modules("6.1.0"));
    assertEquals(Initramfs.Style.LIST, read.style(), "its settings say which tool made it");
    byte[] supplement = Initramfs.write(Map.of("lib/x", new byte[1]));
    assertEquals("lib/x", Initramfs.read(join(archive(dir), supplement)).resolved("lib/x"));
  }

  @Test
  void theSystemsOwnToolReadsWhatIsWritten(@TempDir Path dir) throws IOException {
    Path archive = dir.resolve("a.cpio");
    Files.write(archive, MAIN);
    Process p =
        new ProcessBuilder("cpio", "-i", "-d", "--quiet", "-F", archive.toString())
            .directory(dir.toFile())
            .redirectErrorStream(true)
            .start();
    String told = new String(p.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    assertEquals(0, p.onExit().join().exitValue(), told);
    assertEquals("sd_mod\n", Files.readString(dir.resolve("conf/modules")));
  }

  @Test
  void impossibleSizesAreRefusedBeforeAnythingIsTaken() {
    byte[] huge = MAIN.clone();
    // The size of the first entry, eight hex digits at 54 (cpio "new" form).
    System.arraycopy("FFFFFFFF".getBytes(StandardCharsets.US_ASCII), 0, huge, 54, 8);
    assertThrows(LayoutException.class, () -> Initramfs.read(huge));
    byte[] name = MAIN.clone();
    System.arraycopy("7FFFFFFF".getBytes(StandardCharsets.US_ASCII), 0, name, 94, 8);
    assertThrows(LayoutException.class, () -> Initramfs.read(name));
  }

  @ParameterizedTest
  @ValueSource(strings = {"plain", "gzip", "xz", "zstd"})
  void damagedArchivesEndInAReason(String how) throws IOException {
    byte[] sound = join(EARLY, pack(how, MAIN));
    Random random = new Random(3);
    for (int round = 0; round < 400; round++) {
      byte[] hurt = sound.clone();
      for (int i = 0; i < 1 + round % 12; i++) {
        hurt[random.nextInt(hurt.length)] = (byte) random.nextInt();
      }
      byte[] cut =
          round % 4 == 0 ? java.util.Arrays.copyOf(hurt, random.nextInt(hurt.length)) : hurt;
      assertTimeoutPreemptively(
          Duration.ofSeconds(10),
          () -> {
            try {
              Initramfs.read(cut);
            } catch (LayoutException expected) {
              assertTrue(expected.getMessage().length() > 10);
            }
          });
    }
  }
}
