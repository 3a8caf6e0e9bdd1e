package bargelane.core.machine;

import bargelane.core.guest.Survey;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Nic;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import java.util.TreeSet;

/**
 * What tells that two sources mean one machine: the UUID of its firmware, else the addresses of its
 * cards. Copies keep such marks: where both have an identity of their guest and these differ, they
 * are two machines.
 *
 * @param hardware marks of the firmware, the surer ones; empty if its UUID is not known
 * @param cards marks of its network cards
 */
public record Marks(Set<String> hardware, Set<String> cards) {

  private static final String UUID = "[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}";

  /**
   * The marks that facts give.
   *
   * @param hardwareId the UUID that the guest reads from its firmware; empty if it is not known
   */
  public static Marks of(MachineFacts facts, String hardwareId) {
    Set<String> hardware = new TreeSet<>();
    for (String id : List.of(facts.platformId(), hardwareId)) {
      String uuid = id.toLowerCase(Locale.ROOT);
      if (uuid.matches(UUID)) {
        hardware.add("hw:" + uuid);
        hardware.add("hw:" + swapped(uuid));
      }
    }
    Set<String> cards = new TreeSet<>();
    for (Nic nic : facts.nics()) {
      if (!nic.mac().isEmpty()) {
        cards.add("mac:" + nic.mac().toLowerCase(Locale.ROOT));
      }
    }
    return new Marks(hardware, cards);
  }

  /** The groups in the order in which they are asked, the surest first. */
  public List<Set<String>> groups() {
    return List.of(hardware, cards);
  }

  /** Whether a card of one is a card of the other. */
  public boolean shareCard(Marks other) {
    return cards.stream().anyMatch(other.cards::contains);
  }

  /**
   * Whether two guests can't be one: neither their own identity nor their hardware's is the same.
   */
  public static boolean differ(Survey a, Survey b) {
    return !a.guestId().isEmpty()
        && !b.guestId().isEmpty()
        && !a.guestId().equals(b.guestId())
        && (a.hardwareId().isEmpty() || !a.hardwareId().equals(b.hardwareId()));
  }

  /**
   * The first three fields with their bytes the other way round, as firmware before SMBIOS 2.6 has
   * them (DSP0134, 7.2.1).
   */
  static String swapped(String u) {
    return u.substring(6, 8)
        + u.substring(4, 6)
        + u.substring(2, 4)
        + u.substring(0, 2)
        + "-"
        + u.substring(11, 13)
        + u.substring(9, 11)
        + "-"
        + u.substring(16, 18)
        + u.substring(14, 16)
        + u.substring(18);
  }
}
