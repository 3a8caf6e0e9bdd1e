package bargelane.blocks.refit;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.MemoryDevice;
import bargelane.blocks.layout.FileTree;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.junit.jupiter.api.Test;

/** What a refit decides of how a guest is started, and whether what changes has room. */
class StartPlanTest extends PlannedGuest {

  /** The plan of a guest that UEFI starts, with loaders in its EFI system partition. */
  private RefitPlan uefi(String... loaders) throws IOException {
    Path esp = dir.resolve("esp");
    Files.deleteIfExists(esp);
    tool("/sbin/mkfs.vfat", "-C", esp.toString(), "4096");
    String at = esp + "@@0";
    tool("mmd", "-i", at, "::EFI");
    for (String loader : loaders) {
      if (loader.startsWith("torn ")) {
        continue;
      }
      boolean torn = List.of(loaders).contains("torn " + loader);
      Path file =
          Files.writeString(dir.resolve("loader"), (torn ? "" : "MZ, ") + "this is " + loader);
      String directory = "::EFI/" + loader.substring(0, loader.indexOf('/'));
      new ProcessBuilder("mmd", "-D", "s", "-i", at, directory).start().onExit().join();
      tool("mcopy", "-i", at, file.toString(), "::EFI/" + loader);
    }
    byte[] table = new byte[512];
    table[446 + 4] = (byte) 0xEF;
    ByteBuffer.wrap(table)
        .order(ByteOrder.LITTLE_ENDIAN)
        .putInt(446 + 8, 2048)
        .putInt(446 + 12, 8192);
    table[510] = 0x55;
    table[511] = (byte) 0xAA;
    MemoryDevice boot = new MemoryDevice(5 << 20);
    boot.write(0, ByteBuffer.wrap(table));
    boot.write(1 << 20, ByteBuffer.wrap(Files.readAllBytes(esp)));
    guest();
    Guest guest = Guest.look(List.of(boot, device(dir.resolve("image"))));
    Hardware same = new Hardware("virtio", "virtio", "uefi");
    return Refit.plan(guest, same, same, List.of());
  }

  private static List<String> copies(RefitPlan plan) {
    assertEquals(List.of(), plan.refused());
    return plan.edits().stream()
        .map(
            e ->
                e.copyOf().replace("/STOCK/", "/stock/").replace("/SYSTEMD/", "/systemd/")
                    + " > "
                    + e.path())
        .toList();
  }

  /** The list of what it starts stays with the former firmware, on like hardware too. */
  @Test
  void aLoaderIsPutWhereFirmwareLooksThatHasNoListOfItsOwn() throws IOException {
    assertTrue(
        Refit.without(
                new Hardware("virtio", "", "uefi"), new Hardware("virtio", "", "uefi"), List.of())
            .isEmpty());
    assertEquals(List.of(), copies(uefi("BOOT/BOOTX64.EFI", "one/grubx64.efi", "two/grubx64.efi")));
    RefitPlan alone = uefi("stock/grubx64.efi");
    assertEquals(List.of("/EFI/stock/grubx64.efi > /EFI/BOOT/BOOTX64.EFI"), copies(alone));
    FileEdit made = alone.edits().get(0);
    assertEquals(
        FileEdit.digest("MZ, this is stock/grubx64.efi".getBytes(StandardCharsets.UTF_8)),
        made.after());
    assertEquals("", made.before(), "there is none, and the yard sees to it that there is none");
    assertEquals(
        List.of(
            "/EFI/stock/shimx64.efi > /EFI/BOOT/BOOTX64.EFI",
            "/EFI/stock/grubx64.efi > /EFI/BOOT/grubx64.efi"),
        copies(uefi("stock/shimx64.efi", "stock/grubx64.efi", "stock/fbx64.efi")));
    assertEquals(
        List.of("/EFI/systemd/systemd-bootx64.efi > /EFI/BOOT/BOOTX64.EFI"),
        copies(uefi("systemd/systemd-bootx64.efi", "Linux/kernel.efi")));
  }

  @Test
  void whatUefiCannotStartIsInTheWay() throws IOException {
    List<String> several = uefi("one/grubx64.efi", "two/grubx64.efi").refused();
    assertTrue(
        several
            .get(0)
            .toLowerCase(Locale.ROOT)
            .contains("one of several loaders, /efi/one, /efi/two"),
        several + "");
    assertTrue(uefi("stock/kernel.bin").refused().get(0).contains("no EFI system partition has"));
    assertTrue(uefi("stock/shimx64.efi").refused().get(0).contains("no EFI system partition has"));
    for (String at : List.of("BOOT/BOOTX64.EFI", "stock/grubx64.efi")) {
      assertTrue(
          uefi(at, "torn " + at)
              .refused()
              .get(0)
              .endsWith("is damaged: install it again at the source"));
    }
  }

  // ---- loaders and room

  /** The plan for other hardware of a guest whose one partition begins at 1 MiB. */
  private RefitPlan started(byte[] bootCode, byte[] second) throws IOException {
    put("boot/grub/grub.cfg", "menuentry 'x' {\n linux /vmlinuz ro\n initrd /initrd\n}\n");
    guest();
    byte[] files = Files.readAllBytes(dir.resolve("image"));
    MemoryDevice disk = new MemoryDevice((1 << 20) + files.length);
    byte[] table = Arrays.copyOf(bootCode, 512);
    table[446 + 4] = (byte) 0x83;
    ByteBuffer.wrap(table)
        .order(ByteOrder.LITTLE_ENDIAN)
        .putInt(446 + 8, 2048)
        .putInt(446 + 12, files.length / 512);
    table[510] = 0x55;
    table[511] = (byte) 0xAA;
    disk.write(0, ByteBuffer.wrap(table));
    disk.write(512, ByteBuffer.wrap(second));
    disk.write(1 << 20, ByteBuffer.wrap(files));
    return Refit.plan(Guest.look(List.of(disk)), new Hardware("ide", "e1000"), VIRTIO, List.of());
  }

  private static byte[] loaderAt(long sector) {
    byte[] code = new byte[440];
    byte[] text = "GRUB \0Geom".getBytes(StandardCharsets.UTF_8);
    System.arraycopy(text, 0, code, 0x180, text.length);
    ByteBuffer.wrap(code).order(ByteOrder.LITTLE_ENDIAN).putLong(0x5c, sector);
    return code;
  }

  @Test
  void aLoaderThatIsDamagedIsInTheWay() throws IOException {
    assertTrue(
        started(new byte[440], new byte[512]).refused().stream()
            .anyMatch(r -> r.startsWith("the first disk has no boot code")));
    for (long nowhere : new long[] {1, 0, -1, 1L << 40}) {
      assertTrue(
          started(loaderAt(nowhere), new byte[512]).refused().stream()
              .anyMatch(r -> r.contains("leads to sector " + Long.toUnsignedString(nowhere))));
    }
    byte[] second = {1};
    assertTrue(
        started(loaderAt(1), second).refused().stream()
            .anyMatch(
                r -> r.startsWith("the loader's own /boot/grub/i386-pc/normal.mod is not there")));
    put("boot/grub/i386-pc/normal.mod", "code");
    List<String> refused = started(loaderAt(1), second).refused();
    assertEquals(List.of("the loader names no kernel that is there"), refused);
    put("boot/vmlinuz", "kernel");
    assertEquals(
        List.of("the loader names no initramfs that is there"),
        started(loaderAt(1), second).refused());
    put("boot/initrd", "nonsense");
    assertTrue(started(loaderAt(1), second).refused().get(0).startsWith("/boot/initrd can't be"));
  }

  /** Bytes of which no block is left out as a hole. */
  private static byte[] full(int size) {
    byte[] bytes = new byte[size];
    Arrays.fill(bytes, (byte) 7);
    return bytes;
  }

  @Test
  void aFileSystemWithoutRoomIsInTheWay() throws IOException {
    assertEquals(List.of(), Refit.plan(guest(), VIRTIO, VIRTIO, MOVED).refused());
    Path image = dir.resolve("image");
    Path ballast = dir.resolve("ballast");
    FileTree.Room room = guest().root().orElseThrow().tree().room().orElseThrow();
    Files.write(ballast, full((int) room.bytes() - (100 << 10)));
    tool("/sbin/debugfs", "-w", "-R", "write " + ballast + " ballast", image.toString());
    Guest full = Guest.look(List.of(device(image)));
    long left = full.root().orElseThrow().tree().room().orElseThrow().bytes();
    assertTrue(left <= 100 << 10, left + " bytes are left");
    assertEquals(
        List.of(), Refit.plan(full, VIRTIO, VIRTIO, MOVED).refused(), "a line needs little");
    Files.write(ballast, full((int) left - (8 << 10)));
    tool("/sbin/debugfs", "-w", "-R", "write " + ballast + " more", image.toString());
    RefitPlan plan = Refit.plan(Guest.look(List.of(device(image))), VIRTIO, VIRTIO, MOVED);
    assertTrue(plan.refused().get(0).matches("the ext4 file system at disk 0 has \\d+ KiB free.*"));
    tool("/sbin/tune2fs", "-O", "read-only", image.toString());
    RefitPlan kept = Refit.plan(Guest.look(List.of(device(image))), VIRTIO, VIRTIO, MOVED);
    assertTrue(kept.refused().get(0).contains("is marked read-only"));
  }

  // ---- guests whose root can't be read

  private static MemoryDevice marked(int at, String mark) throws IOException {
    MemoryDevice disk = new MemoryDevice(1 << 20);
    disk.write(at, ByteBuffer.wrap(mark.getBytes(StandardCharsets.ISO_8859_1)));
    return disk;
  }

  @Test
  void systemsThatAreNotRefittedAreNamedWithWhatIsToBeDoneBefore() throws IOException {
    Hardware ide = new Hardware("ide", "e1000");
    for (String[] kind : new String[][] {{"-FVE-FS-", "BitLocker"}, {"NTFS    ", "NTFS"}}) {
      Guest guest = Guest.look(List.of(marked(3, kind[0])));
      RefitPlan plan = Refit.plan(guest, ide, VIRTIO, MOVED);
      assertEquals(1, plan.refused().size(), plan.toString());
      assertTrue(plan.refused().get(0).contains(kind[1]), plan.toString());
      assertTrue(
          plan.refused().get(0).contains("install the drivers for virtio disks and virtio network"),
          plan.toString());
      assertEquals(List.of(), Refit.plan(guest, ide, ide, MOVED).refused(), "within its family");
    }
  }

  /** The plan of a guest with a readable boot file system and an encrypted root. */
  private RefitPlan encrypted(Map<String, byte[]> initramfs) throws IOException {
    for (String left : List.of("etc/fstab", "etc/hostname", "etc/netplan/50.yaml")) {
      Files.deleteIfExists(dir.resolve("content").resolve(left));
    }
    put("grub/grub.cfg", "menuentry 'x' {\n linux /vmlinuz ro\n initrd /initrd\n}\n");
    put("vmlinuz", "kernel");
    Files.write(dir.resolve("content/initrd"), Initramfs.write(initramfs));
    guest();
    Guest guest = Guest.look(List.of(device(dir.resolve("image")), marked(0, "LUKS\u00ba\u00be")));
    return Refit.plan(guest, new Hardware("ide", "e1000"), VIRTIO, MOVED);
  }

  @Test
  void anEncryptedRootIsJudgedByItsInitramfs() throws IOException {
    String modules = "usr/lib/modules/6.1.0/";
    Map<String, byte[]> held =
        new java.util.HashMap<>(
            Map.of(modules + "kernel/drivers/block/virtio_blk.ko", new byte[8]));
    RefitPlan lacks = encrypted(held);
    assertEquals(1, lacks.refused().size(), lacks.toString());
    assertTrue(
        lacks.refused().get(0).startsWith("/initrd lacks virtio_pci, and"), lacks.toString());
    held.put(
        modules + "modules.builtin",
        "kernel/drivers/virtio/virtio_pci.ko\n".getBytes(StandardCharsets.UTF_8));
    RefitPlan has = encrypted(held);
    assertEquals(List.of(), has.refused());
    assertTrue(
        has.unjudged().toString().contains("its root file system is encrypted with LUKS, so its"));
  }
}
