package bargelane.standins.host;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * A guest on a host as it may have stood there for years: old-bus devices, and one port that the
 * host forwards.
 *
 * @param images raw images in boot order, converted to {@code format} in the pool
 * @param cards its network cards, of which the first answers at port 8080
 * @param port of the host that leads to it
 * @param vars the variables of its UEFI firmware; empty for one that a BIOS starts
 */
public record DemoGuest(
    String name,
    List<Path> images,
    String format,
    List<Card> cards,
    int port,
    int memoryMib,
    Optional<Path> vars) {

  /** A card, by the network that the emulator makes for it and the address that it has there. */
  public record Card(String cidr, String address) {}

  private static final String FIRMWARE = "/usr/share/OVMF/OVMF_CODE_4M.fd";

  /** One of the demo's small machines. */
  public static DemoGuest small(
      String name, List<Path> images, String format, String cidr, String address, int port) {
    return new DemoGuest(
        name, images, format, List.of(new Card(cidr, address)), port, 160, Optional.empty());
  }

  /** The same guest with one card more. */
  public DemoGuest and(String cidr, String address) {
    List<Card> all = new ArrayList<>(cards);
    all.add(new Card(cidr, address));
    return new DemoGuest(name, images, format, all, port, memoryMib, vars);
  }

  /**
   * Its domain (libvirt "Domain XML format").
   *
   * @param disks its disks in the pool
   * @param dir of the host, for the agent's socket
   * @param variables its firmware's variables there, if it has any
   */
  String xml(List<Path> disks, Path pool, Path dir, Optional<Path> variables) {
    boolean uefi = variables.isPresent();
    StringBuilder xml =
        new StringBuilder(
            "<domain type='qemu' xmlns:qemu='http://libvirt.org/schemas/domain/qemu/1.0'><name>");
    xml.append(name).append("</name><memory unit='MiB'>").append(memoryMib);
    xml.append("</memory><vcpu>1</vcpu><os><type arch='x86_64' machine='");
    xml.append(uefi ? "q35" : "pc").append("'>hvm</type>");
    variables.ifPresent(
        v ->
            xml.append("<loader readonly='yes' type='pflash'>")
                .append(FIRMWARE)
                .append("</loader><nvram>")
                .append(v)
                .append("</nvram>"));
    xml.append("<boot dev='hd'/></os>");
    xml.append("<features><acpi/></features><on_crash>destroy</on_crash><devices>");
    for (int i = 0; i < disks.size(); i++) {
      xml.append("<disk type='file' device='disk'><driver name='qemu' type='").append(format);
      xml.append("'/><source file='").append(disks.get(i)).append("'/><target dev='");
      xml.append(uefi ? "sd" : "hd").append((char) ('a' + i));
      xml.append("' bus='").append(uefi ? "sata" : "ide").append("'/></disk>");
    }
    // The path that the daemon would choose may be longer than a socket's can be.
    xml.append("<channel type='unix'><source mode='bind' path='").append(dir).append("/");
    xml.append(name).append(".agent'/><target type='virtio' name='org.qemu.guest_agent.0'/>");
    xml.append("</channel>");
    xml.append("<serial type='file'><source path='").append(pool).append("/").append(name);
    xml.append(".console'/></serial><memballoon model='none'/></devices><qemu:commandline>");
    for (int i = 0; i < cards.size(); i++) {
      Card card = cards.get(i);
      String forward = ",hostfwd=tcp:127.0.0.1:" + port + "-" + card.address() + ":8080";
      for (String arg :
          List.of(
              "-netdev",
              "user,id=net" + i + ",net=" + card.cidr() + ",restrict=on" + (i == 0 ? forward : ""),
              "-device",
              "e1000,netdev=net"
                  + i
                  + ",mac=52:54:00:20:0"
                  + (i + 1)
                  + ":21,bus="
                  + (uefi ? "pcie" : "pci")
                  + ".0,addr=0x"
                  + Integer.toHexString(0x10 + i))) {
        xml.append("<qemu:arg value='").append(arg).append("'/>");
      }
    }
    xml.append("</qemu:commandline></domain>");
    return xml.toString();
  }
}
