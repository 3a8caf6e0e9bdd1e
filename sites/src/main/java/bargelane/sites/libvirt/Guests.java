package bargelane.sites.libvirt;

import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.Usage;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.OptionalDouble;
import java.util.OptionalLong;
import java.util.stream.LongStream;

/**
 * What libvirt tells of guests by names and values (libvirt-domain.h, virDomainGetGuestInfo and
 * virConnectGetAllDomainStats), in the inventory's terms.
 */
final class Guests {

  private Guests() {}

  static GuestFacts facts(Map<String, Object> told, Instant at) {
    List<GuestFacts.FileSystem> mounts = new ArrayList<>();
    for (int i = 0; i < number(told, "fs.count").orElse(0); i++) {
      String fs = "fs." + i + ".";
      mounts.add(
          new GuestFacts.FileSystem(
              text(told, fs + "mountpoint"),
              text(told, fs + "fstype"),
              number(told, fs + "total-bytes").orElse(0),
              number(told, fs + "used-bytes").orElse(0)));
    }
    List<GuestFacts.Card> cards = new ArrayList<>();
    for (int i = 0; i < number(told, "if.count").orElse(0); i++) {
      String card = "if." + i + ".";
      List<String> addresses = new ArrayList<>();
      for (int a = 0; a < number(told, card + "addr.count").orElse(0); a++) {
        addresses.add(
            text(told, card + "addr." + a + ".addr")
                + "/"
                + number(told, card + "addr." + a + ".prefix").orElse(0));
      }
      cards.add(
          new GuestFacts.Card(text(told, card + "name"), text(told, card + "hwaddr"), addresses));
    }
    return new GuestFacts(
        text(told, "hostname"),
        text(told, "os.pretty-name"),
        text(told, "os.kernel-release"),
        mounts,
        cards,
        at,
        "");
  }

  static Usage usage(Map<String, Object> told, Instant at) {
    OptionalLong cpu = number(told, "cpu.time");
    OptionalLong available = number(told, "balloon.available");
    OptionalLong unused = number(told, "balloon.unused");
    return new Usage(
        at,
        cpu.isPresent() ? OptionalDouble.of(cpu.getAsLong() / 1e9) : OptionalDouble.empty(),
        available.isPresent() && unused.isPresent()
            ? OptionalLong.of((available.getAsLong() - unused.getAsLong()) << 10)
            : OptionalLong.empty(),
        sum(told, "block", "rd.bytes"),
        sum(told, "block", "rd.reqs"),
        sum(told, "block", "wr.bytes"),
        sum(told, "block", "wr.reqs"),
        sum(told, "net", "rx.bytes"),
        sum(told, "net", "tx.bytes"));
  }

  private static String text(Map<String, Object> told, String name) {
    return told.get(name) instanceof String s ? s : "";
  }

  private static OptionalLong number(Map<String, Object> told, String name) {
    return told.get(name) instanceof Long n ? OptionalLong.of(n) : OptionalLong.empty();
  }

  /** Over all devices of a kind; absent if there is none that tells. */
  private static OptionalLong sum(Map<String, Object> told, String kind, String what) {
    long[] each =
        LongStream.range(0, number(told, kind + ".count").orElse(0))
            .mapToObj(i -> number(told, kind + "." + i + "." + what))
            .filter(OptionalLong::isPresent)
            .mapToLong(OptionalLong::getAsLong)
            .toArray();
    return each.length == 0 ? OptionalLong.empty() : OptionalLong.of(LongStream.of(each).sum());
  }
}
