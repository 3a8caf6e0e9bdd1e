package bargelane.standins.guest;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.layout.LayoutException;
import bargelane.blocks.layout.Partition;
import bargelane.standins.Refusal;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.List;

/**
 * What a machine needs of its disks to boot: a boot record, a bootable partition, sound file
 * systems.
 */
public final class BootCheck {

  private BootCheck() {}

  /**
   * Checks disks in boot order.
   *
   * @throws Refusal saying which disk would not boot and why
   */
  public static void check(String machine, List<? extends BlockDevice> disks) throws IOException {
    if (disks.isEmpty()) {
      throw Refusal.conflict("not-bootable", machine + " has no disk to boot from");
    }
    for (int i = 0; i < disks.size(); i++) {
      List<Partition> partitions;
      try {
        partitions = Partition.read(disks.get(i));
      } catch (LayoutException e) {
        throw Refusal.conflict(
            "not-bootable", "disk " + i + " of " + machine + ": " + e.getMessage());
      }
      if (i == 0 && partitions.stream().noneMatch(Partition::bootable)) {
        throw Refusal.conflict(
            "not-bootable", "disk 0 of " + machine + " has no bootable partition");
      }
      for (Partition partition : partitions) {
        if (partition.type() == 0x83) {
          soundFileSystem(machine, i, disks.get(i), partition);
        }
      }
    }
  }

  private static void soundFileSystem(
      String machine, int disk, BlockDevice device, Partition partition) throws IOException {
    Path image = Files.createTempFile("boot", ".raw");
    try {
      copyAllocated(device, image);
      Process check =
          new ProcessBuilder("/sbin/e2fsck", "-fn", image + "?offset=" + partition.offset())
              .redirectErrorStream(true)
              .start();
      String output =
          new String(
              check.getInputStream().readAllBytes(), java.nio.charset.StandardCharsets.UTF_8);
      if (check.waitFor() != 0) {
        throw Refusal.conflict(
            "file-system-unsound",
            "disk "
                + disk
                + " of "
                + machine
                + ", partition "
                + partition.number()
                + ": "
                + output.strip());
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("the check was interrupted", e);
    } finally {
      Files.deleteIfExists(image);
    }
  }

  /** Writes a device's allocated ranges into a sparse file. */
  public static void copyAllocated(BlockDevice device, Path image) throws IOException {
    try (FileChannel file =
        FileChannel.open(image, StandardOpenOption.CREATE, StandardOpenOption.WRITE)) {
      for (BlockDevice.Extent extent :
          device.status(BlockDevice.Context.ALLOCATION, 0, device.size())) {
        for (long at = extent.offset(); extent.set() && at < extent.offset() + extent.length(); ) {
          ByteBuffer bytes =
              ByteBuffer.allocate((int) Math.min(1 << 20, extent.offset() + extent.length() - at));
          device.read(at, bytes);
          bytes.flip();
          while (bytes.hasRemaining()) {
            at += file.write(bytes, at);
          }
        }
      }
      if (file.size() < device.size()) {
        file.write(ByteBuffer.allocate(1), device.size() - 1);
      }
    }
  }
}
