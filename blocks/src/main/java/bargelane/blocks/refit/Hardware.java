package bargelane.blocks.refit;

import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;

/**
 * Which drivers of Linux a family of devices needs: before the root file system is there, and
 * after.
 *
 * @param disk how disks are attached, such as {@code ide} or {@code virtio}
 * @param nic the network card's model
 * @param firmware {@code uefi} or {@code bios}
 */
public record Hardware(String disk, String nic, String firmware) {

  /** Devices that a BIOS starts from. */
  public Hardware(String disk, String nic) {
    this(disk, nic, "bios");
  }

  private static final Map<String, List<String>> DISK =
      Map.of(
          "virtio", List.of("virtio_pci", "virtio_blk"),
          "scsi", List.of("virtio_pci", "virtio_scsi", "sd_mod"),
          "ide", List.of("ata_piix", "sd_mod"),
          "sata", List.of("ahci", "sd_mod"));
  private static final Map<String, List<String>> NIC =
      Map.of(
          "virtio", List.of("virtio_pci", "virtio_net"),
          "e1000", List.of("e1000"),
          "e1000e", List.of("e1000e"),
          "rtl8139", List.of("8139cp"));

  /** Whether we know what this family needs. */
  public boolean known() {
    return DISK.containsKey(disk) && (nic.isEmpty() || NIC.containsKey(nic));
  }

  /** All drivers that any family needs. */
  public static Set<String> drivers() {
    Set<String> all = new TreeSet<>();
    DISK.values().forEach(all::addAll);
    NIC.values().forEach(all::addAll);
    return all;
  }

  boolean uefi() {
    return firmware.equals("uefi");
  }

  List<String> early() {
    return DISK.getOrDefault(disk, List.of());
  }

  List<String> late() {
    return NIC.getOrDefault(nic, List.of());
  }

  @Override
  public String toString() {
    return disk + " disks" + (nic.isEmpty() ? "" : " and " + nic + " network cards");
  }
}
