package bargelane.blocks.refit;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.layout.FileTree;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Indexes that are made for an archive, looked up by the system's own modprobe. */
class KernelModulesTest {

  private static final String V = "6.1.0-9";
  private static final Map<String, String> HELD =
      Map.of(
          "virtio", "kernel/virtio.ko",
          "virtio_ring", "kernel/virtio_ring.ko",
          "virtio_pci", "kernel/virtio_pci.ko",
          "virtio_blk", "kernel/virtio_blk.ko");

  @TempDir Path dir;

  /** A directory as the files of a guest. */
  private record Directory(Path at) implements FileTree {
    @Override
    public String kind() {
      return "ext4";
    }

    @Override
    public String uuid() {
      return "";
    }

    @Override
    public boolean clean() {
      return true;
    }

    @Override
    public Optional<Room> room() {
      return Optional.empty();
    }

    @Override
    public Optional<Long> size(String path) throws IOException {
      Path file = at.resolve(path.substring(1));
      return Files.isRegularFile(file) ? Optional.of(Files.size(file)) : Optional.empty();
    }

    @Override
    public byte[] read(String path, int most) throws IOException {
      return Files.readAllBytes(at.resolve(path.substring(1)));
    }

    @Override
    public List<String> list(String path) throws IOException {
      try (Stream<Path> files = Files.list(at.resolve(path.substring(1)))) {
        return files.map(f -> f.getFileName().toString()).toList();
      }
    }
  }

  private KernelModules guest() throws IOException {
    Path modules = Files.createDirectories(dir.resolve("guest/lib/modules").resolve(V));
    Files.writeString(
        modules.resolve("modules.dep"),
        """
        kernel/drivers/virtio/virtio.ko.xz:
        kernel/drivers/virtio/virtio_ring.ko.xz:
        kernel/drivers/virtio/virtio_pci.ko.xz: kernel/drivers/virtio/virtio_ring.ko.xz kernel/drivers/virtio/virtio.ko.xz
        kernel/drivers/block/virtio_blk.ko.xz: kernel/drivers/virtio/virtio_ring.ko.xz kernel/drivers/virtio/virtio.ko.xz
        kernel/drivers/net/e1000.ko.xz:
        """);
    Files.writeString(
        modules.resolve("modules.alias"),
        """
        # Aliases extracted from modules themselves.
        alias virtio:d00000002v* virtio_blk
        alias pci:v00001AF4d*sv*sd*bc*sc*i* virtio_pci
        alias pci:v00008086d0000100Esv*sd*bc*sc*i* e1000
        alias a-b[x-z] virtio
        alias ünlike virtio
        """);
    Files.writeString(modules.resolve("modules.builtin"), "kernel/fs/ext4/ext4.ko\n");
    return KernelModules.of(new Directory(dir.resolve("guest")), V).orElseThrow();
  }

  private String modprobe(String... words) throws IOException {
    List<String> command = new ArrayList<>(List.of("/sbin/modprobe", "-S", V, "-C", "/dev/null"));
    command.addAll(List.of("-d", dir.resolve("archive").toString()));
    command.addAll(List.of(words));
    Process p = new ProcessBuilder(command).redirectErrorStream(true).start();
    String told = new String(p.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    p.onExit().join();
    return told.strip();
  }

  @Test
  void theSystemsOwnToolFindsModulesByNameAndByHardware() throws IOException {
    Path archive = Files.createDirectories(dir.resolve("archive/lib/modules").resolve(V));
    Files.createDirectories(archive.resolve("kernel"));
    for (String path : HELD.values()) {
      Files.write(archive.resolve(path), new byte[] {1});
    }
    for (Map.Entry<String, byte[]> file : guest().indexes(HELD).entrySet()) {
      Files.write(archive.resolve(file.getKey()), file.getValue());
    }
    String base = "insmod " + archive + "/kernel/";
    String blk = base + "virtio.ko \n" + base + "virtio_ring.ko \n" + base + "virtio_blk.ko";
    assertEquals(blk, modprobe("--show-depends", "virtio_blk"));
    assertEquals(blk, modprobe("--show-depends", "virtio:d00000002v00001AF4"));
    assertEquals(
        "virtio_pci", modprobe("-R", "pci:v00001AF4d00001001sv00001AF4sd00000002bc01sc00i00"));
    assertEquals("virtio", modprobe("-R", "a_by"));
    assertTrue(modprobe("--show-depends", "e1000").contains("not found"), "it is not in there");
    assertFalse(Files.readString(archive.resolve("modules.alias")).contains("e1000"));
  }

  @Test
  void whatIsNeededFirstComesFirst() throws IOException {
    assertEquals(
        List.of(
            "kernel/drivers/virtio/virtio.ko.xz",
            "kernel/drivers/virtio/virtio_ring.ko.xz",
            "kernel/drivers/block/virtio_blk.ko.xz"),
        List.copyOf(guest().closure(List.of("virtio_blk"))));
    assertTrue(guest().has("ext4") && guest().builtIn("ext4"));
  }
}
