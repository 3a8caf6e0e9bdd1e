package bargelane.core.guest;

import bargelane.core.guest.Survey.Card;
import bargelane.core.guest.Survey.Device;
import bargelane.core.guest.Survey.Mount;
import bargelane.core.net.Address;
import bargelane.core.site.Conversation;
import bargelane.core.site.Inventory.DeviceFamily;
import bargelane.core.site.Inventory.Disk;
import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.Ingress;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Nic;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;

/** A survey in the inventory's terms. */
public final class SurveyFacts {

  private SurveyFacts() {}

  /**
   * A machine as only its guest tells it: its disks are the devices that lie on no other, its NICs
   * the physical cards, or all where none says that it is.
   *
   * @param key what its source knows it by
   * @param name what it is called where its guest has no name
   */
  public static MachineFacts machine(Survey s, String key, String name, GuestFacts guest) {
    return new MachineFacts(
        key,
        s.hostname().isEmpty() ? name : s.hostname(),
        s.cpus(),
        s.memoryBytes() >> 20,
        s.os(),
        s.firmware(),
        true,
        false,
        disks(s).stream().map(d -> new Disk(d.name(), d.bytes(), "")).toList(),
        nics(s).stream().map(c -> new Nic("", first(c), c.mac())).toList(),
        ingress(s),
        Map.of(),
        "",
        DeviceFamily.UNKNOWN,
        guest);
  }

  /** What the guest told, read at an instant of the service's clock by a site. */
  public static GuestFacts guest(Survey s, Instant readAt, String toldBy) {
    return new GuestFacts(
        s.hostname(),
        s.os(),
        s.kernel(),
        s.mounts().stream()
            .map(m -> new GuestFacts.FileSystem(m.at(), m.type(), m.bytes(), m.used()))
            .toList(),
        s.cards().stream().map(c -> new GuestFacts.Card(c.name(), c.mac(), c.addresses())).toList(),
        readAt,
        toldBy);
  }

  /** Devices that lie on no other and can't be taken out. */
  public static List<Device> disks(Survey s) {
    return s.devices().stream().filter(d -> d.parents().isEmpty() && !d.removable()).toList();
  }

  /** The cards that are hardware; all of them where none says so. */
  public static List<Card> nics(Survey s) {
    List<Card> physical = s.cards().stream().filter(Card::physical).toList();
    return physical.isEmpty()
        ? s.cards().stream().filter(c -> !c.mac().isEmpty()).toList()
        : physical;
  }

  private static String first(Card card) {
    return card.addresses().stream()
        .map(a -> a.substring(0, a.indexOf('/')))
        .filter(Address::beyondLink)
        .findFirst()
        .orElse("");
  }

  private static List<Ingress> ingress(Survey s) {
    Set<Ingress> served = new LinkedHashSet<>();
    s.listeners().stream()
        .filter(l -> l.protocol().equals("tcp") && !Sockets.loopback(l.address()))
        .forEach(l -> served.add(new Ingress(l.protocol(), l.port(), "anywhere")));
    return List.copyOf(served);
  }

  /**
   * What a disk is there for: where it, or what lies on it, is mounted; empty if it is mounted
   * nowhere.
   */
  public static Set<String> mountedFrom(Survey s, Device disk) {
    Set<String> on = new TreeSet<>(List.of(disk.name()));
    boolean more = true;
    while (more) {
      more = false;
      for (Device d : s.devices()) {
        if (!on.contains(d.name()) && d.parents().stream().anyMatch(on::contains)) {
          more = on.add(d.name());
          // A mapped device is mounted by its given name.
          if (d.name().startsWith("dm-") && !d.model().isEmpty()) {
            on.add(d.model());
          }
        }
      }
    }
    Set<String> mounts = new TreeSet<>();
    s.mounts().stream().filter(m -> on.contains(m.device())).map(Mount::at).forEach(mounts::add);
    return mounts;
  }

  /**
   * The connections that are open now, each counted once, by the one who is served. An observer
   * tells them from one side only: the other side's addresses may be somebody's in between.
   */
  public static List<Conversation> conversations(Survey s, Instant at) {
    List<Conversation> all = new ArrayList<>();
    for (Survey.Link l : s.links()) {
      all.add(
          l.inbound()
              ? new Conversation(
                  l.remote(), l.local(), l.protocol(), l.localPort(), l.process(), 1, 0, at, at)
              : new Conversation(
                  l.local(), l.remote(), l.protocol(), l.remotePort(), l.process(), 1, 0, at, at));
    }
    return all;
  }
}
