package bargelane.blocks.refit;

import static org.junit.jupiter.api.Assertions.assertEquals;

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
import org.junit.jupiter.api.io.TempDir;

/** A guest whose disk is one file system made by the system's own tool. */
abstract class PlannedGuest {

  static final Hardware VIRTIO = new Hardware("virtio", "virtio");
  static final List<Card> MOVED =
      List.of(
          new Card("", List.of(), "10.20.1.21", "10.20.7.40", 24, "255.255.255.0", "10.20.7.1"));
  static final String SEED = "/var/lib/cloud/seed/nocloud/";

  static final String MAC = "52:54:00:AB:10:21";

  @TempDir Path dir;

  @BeforeEach
  void aGuest() throws IOException {
    put("etc/fstab", "UUID=51b1a001-0000-4000-8000-000000000001 / ext4 rw 0 1\n");
    put("etc/hostname", "lending-app\n");
    put(
        "etc/netplan/50.yaml",
        "network:\n  ethernets:\n    eth0:\n      addresses: [10.20.1.21/24]\n      gateway4: 10.20.1.1\n");
  }

  void put(String path, String text) throws IOException {
    Path file = dir.resolve("content").resolve(path);
    Files.createDirectories(file.getParent());
    Files.writeString(file, text);
  }

  Guest guest() throws IOException {
    Path image = dir.resolve("image");
    Files.deleteIfExists(image);
    tool(
        "/sbin/mke2fs",
        "-q",
        "-F",
        "-t",
        "ext4",
        "-U",
        "51b1a001-0000-4000-8000-000000000001",
        "-d",
        dir.resolve("content").toString(),
        image.toString(),
        "16m");
    return Guest.look(List.of(device(image)));
  }

  static void tool(String... command) throws IOException {
    Process made = new ProcessBuilder(command).redirectErrorStream(true).start();
    String out = new String(made.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    assertEquals(0, made.onExit().join().exitValue(), out);
  }

  static MemoryDevice device(Path image) throws IOException {
    byte[] bytes = Files.readAllBytes(image);
    MemoryDevice disk = new MemoryDevice(bytes.length);
    disk.write(0, ByteBuffer.wrap(bytes));
    return disk;
  }

  static Map<String, String> changes(RefitPlan plan) {
    return plan.edits().stream()
        .collect(
            Collectors.toMap(FileEdit::path, e -> new String(e.content(), StandardCharsets.UTF_8)));
  }

  static Card card(String to) {
    return new Card(MAC, List.of(), "10.20.1.21", to, 22, "255.255.252.0", "10.20.4.1");
  }

  RefitPlan moved() throws IOException {
    return Refit.plan(guest(), VIRTIO, VIRTIO, List.of(card("10.20.7.40")));
  }
}
