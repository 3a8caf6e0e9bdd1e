package bargelane.blocks.layout;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.MemoryDevice;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/** What a yard copied, as it is read. */
class CopiedFilesTest {

  private static final List<List<Contents>> OWN =
      List.of(
          List.of(
              new Contents(1, 1 << 20, 0x83, "ext4", Optional.empty(), "", "", ""),
              new Contents(2, 9 << 20, 0x8e, "lvm2", Optional.empty(), "not read here", "", "")),
          List.of(new Contents(0, 0, 0, "xfs", Optional.empty(), "not read here", "", "")));

  @TempDir Path dir;

  @BeforeEach
  void files() throws IOException {
    for (String tree : List.of("0", "1")) {
      Path etc = Files.createDirectories(dir.resolve("files").resolve(tree).resolve("etc"));
      Files.writeString(etc.resolve("hostname"), "tree " + tree);
      Files.createSymbolicLink(etc.resolve("name"), Path.of("/etc/hostname"));
      Files.createSymbolicLink(etc.resolve("out"), Path.of("../../0/etc/hostname"));
    }
  }

  private List<List<Contents>> with(String places) throws IOException {
    Files.writeString(dir.resolve("files/places"), places);
    Path image = dir.resolve("image");
    Files.deleteIfExists(image);
    Process made =
        new ProcessBuilder(
                "/sbin/mke2fs",
                "-q",
                "-F",
                "-t",
                "ext2",
                "-d",
                dir.resolve("files").toString(),
                image.toString(),
                "4m")
            .start();
    assertEquals(0, made.onExit().join().exitValue());
    byte[] bytes = Files.readAllBytes(image);
    MemoryDevice disk = new MemoryDevice(bytes.length);
    disk.write(0, ByteBuffer.wrap(bytes));
    return CopiedFiles.with(OWN, disk);
  }

  private static String text(Contents c, String path) throws IOException {
    return new String(c.tree().orElseThrow().read(path, 100), StandardCharsets.UTF_8);
  }

  @Test
  void treesStandWhereTheyWereFoundAndKeepToTheirOwnRoot() throws IOException {
    List<List<Contents>> all =
        with("0\t1\t0\t\txfs\tab-cd\t\t4096\t9\n1\t0\t2\tvolume:stock/root\text4\tef-01\t\t0\t0\n");
    Contents xfs = all.get(1).get(0);
    assertEquals("xfs", xfs.kind());
    assertEquals("ab-cd", xfs.tree().orElseThrow().uuid());
    assertEquals("tree 0", text(xfs, "/etc/hostname"));
    assertEquals(new FileTree.Room(true, 4096, 9), xfs.tree().orElseThrow().room().orElseThrow());
    List<Contents> first = all.get(0);
    assertEquals(List.of("ext4", "", "ext4"), first.stream().map(Contents::kind).toList());
    Contents volume = first.get(2);
    assertEquals("volume:stock/root", volume.within());
    assertEquals(2, volume.partition());
    assertEquals("tree 1", text(volume, "/etc/name"), "a link from the root");
    assertTrue(volume.tree().orElseThrow().size("/../0/etc/hostname").isEmpty());
    assertTrue(volume.tree().orElseThrow().size("/etc/out").isEmpty(), "none leads out");
    assertTrue(all.stream().flatMap(List::stream).noneMatch(Contents::hidden));
  }

  @Test
  void whatCouldNotBeReadKeepsItsReason() throws IOException {
    Contents xfs = with("0\t1\t0\t\txfs\t\tthe yard could not read it: torn\t0\t0\n").get(1).get(0);
    assertEquals("the yard could not read it: torn", xfs.trouble());
    assertTrue(xfs.tree().isEmpty());
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "nonsense",
        "0\t1\t0\t\txfs\t\t",
        "0\t1\t0\t\txfs\t\t\t-1\t1",
        "x\t1\t0\t\txfs\t\t\t1\t1",
        "7\t1\t0\t\txfs\t\t\t1\t1",
        "0\t9\t0\t\txfs\t\t\t1\t1",
        "0\t-1\t0\t\txfs\t\t\t1\t1",
        "0\t1\t3\t\txfs\t\t\t1\t1",
        "0\t1\t0\tarray:a;b\txfs\t\t\t1\t1",
        "0\t1\t0\tvolume:a/b; reboot\txfs\t\t\t1\t1",
        "0\t1\t0\tsubvolume:a,exec\tbtrfs\t\t\t1\t1",
        "places\t1\t0\t\txfs\t\t\t1\t1"
      })
  void aPlaceThatCannotBeIsRefused(String line) {
    assertThrows(LayoutException.class, () -> with(line + "\n"));
  }
}
