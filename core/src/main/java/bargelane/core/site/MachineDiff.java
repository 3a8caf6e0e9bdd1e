package bargelane.core.site;

import bargelane.core.site.Inventory.Disk;
import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.Ingress;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Nic;
import bargelane.text.Sizes;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeSet;

/** What is different about a machine between two scans, fact by fact, as people read it. */
public final class MachineDiff {

  /** One fact that changed. A value that was or is not there is empty. */
  public record Change(String fact, String former, String present) {}

  private MachineDiff() {}

  /**
   * The differences. Facts that change while nothing is changed (when the guest was read, how full
   * its file systems are) are left out.
   */
  public static List<Change> of(MachineFacts former, MachineFacts present) {
    List<Change> all = new ArrayList<>();
    Map<String, String> was = facts(former);
    Map<String, String> is = facts(present);
    TreeSet<String> names = new TreeSet<>(was.keySet());
    names.addAll(is.keySet());
    for (String name : names) {
      String a = was.getOrDefault(name, "");
      String b = is.getOrDefault(name, "");
      if (!a.equals(b)) {
        all.add(new Change(name, a, b));
      }
    }
    return all;
  }

  /** Facts by name, as people read them; what is empty is not known. */
  public static Map<String, String> facts(MachineFacts m) {
    Map<String, String> f = new LinkedHashMap<>();
    f.put("name", m.name());
    f.put("processors", String.valueOf(m.cpus()));
    f.put("memory", Sizes.exact(m.memoryMib() << 20));
    f.put("operating system", m.os());
    f.put("firmware", m.firmware());
    f.put("power", m.on() ? "on" : "off");
    f.put("fence", m.fenced() ? "fenced" : "");
    f.put("owner", m.owner());
    f.put("devices", (m.devices().disk() + " " + m.devices().nic()).strip());
    int d = 0;
    for (Disk disk : m.disks()) {
      f.put(
          "disk " + d++,
          disk.volume()
              + ", "
              + Sizes.exact(disk.bytes())
              + (disk.storage().isEmpty() ? "" : " on " + disk.storage()));
    }
    int n = 0;
    for (Nic nic : m.nics()) {
      f.put("NIC " + n++, (nic.network() + " " + nic.address() + " " + nic.mac()).strip());
    }
    for (Ingress i : m.ingress()) {
      f.put("serves " + i.protocol() + " " + i.port() + " to " + i.from(), "yes");
    }
    m.labels().forEach((key, value) -> f.put("label " + key, value));
    GuestFacts g = m.guest();
    f.put("guest's name", g.hostname());
    f.put("guest's operating system", g.os());
    f.put("kernel", g.kernel());
    g.fileSystems().forEach(x -> f.put("mount " + x.mount(), x.type()));
    g.cards().forEach(x -> f.put("card " + x.name(), x.mac() + " " + x.addresses()));
    return f;
  }
}
