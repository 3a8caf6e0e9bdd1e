package bargelane.standins.host;

import java.nio.file.Path;
import java.util.List;

/**
 * The definition of the demo's guest on a host: old-bus devices, and one port that the host
 * forwards.
 */
final class DemoGuest {

  private DemoGuest() {}

  /**
   * A domain (libvirt "Domain XML format").
   *
   * @param cidr the network that the emulator makes for it
   * @param address where it answers there, at port 8080
   * @param port of the host that leads to it
   */
  static String xml(
      String name,
      List<Path> disks,
      String format,
      Path pool,
      String cidr,
      String address,
      int port) {
    StringBuilder xml =
        new StringBuilder(
            "<domain type='qemu' xmlns:qemu='http://libvirt.org/schemas/domain/qemu/1.0'><name>");
    xml.append(name).append("</name><memory unit='MiB'>160</memory><vcpu>1</vcpu>");
    xml.append("<os><type arch='x86_64' machine='pc'>hvm</type><boot dev='hd'/></os>");
    xml.append("<features><acpi/></features><on_crash>destroy</on_crash><devices>");
    for (int i = 0; i < disks.size(); i++) {
      xml.append("<disk type='file' device='disk'><driver name='qemu' type='").append(format);
      xml.append("'/><source file='").append(disks.get(i)).append("'/><target dev='hd");
      xml.append((char) ('a' + i)).append("' bus='ide'/></disk>");
    }
    xml.append(
        "<channel type='unix'><target type='virtio' name='org.qemu.guest_agent.0'/></channel>");
    xml.append("<serial type='file'><source path='").append(pool).append("/").append(name);
    xml.append(".console'/></serial><memballoon model='none'/></devices><qemu:commandline>");
    for (String arg :
        List.of(
            "-netdev",
            "user,id=net0,net="
                + cidr
                + ",restrict=on,hostfwd=tcp:127.0.0.1:"
                + port
                + "-"
                + address
                + ":8080",
            "-device",
            "e1000,netdev=net0,mac=52:54:00:20:01:21,bus=pci.0,addr=0x10")) {
      xml.append("<qemu:arg value='").append(arg).append("'/>");
    }
    xml.append("</qemu:commandline></domain>");
    return xml.toString();
  }
}
