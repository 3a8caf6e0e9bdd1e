package bargelane.standins;

import bargelane.standins.Platform.Licence;
import bargelane.standins.Platform.Machine;
import bargelane.standins.Platform.Network;
import bargelane.standins.Platform.Nic;
import bargelane.standins.Platform.Size;
import java.util.List;

/** What a platform refuses of a machine that is to be made. */
final class Taking {

  private Taking() {}

  static void check(Platform platform, Machine asked) {
    name(platform.names, asked.name());
    zone(platform, asked);
    List<String> licences =
        platform.licences.stream()
            .filter(l -> asked.os() != null && asked.os().startsWith(l.system()))
            .map(Licence::id)
            .toList();
    if (!licences.isEmpty() && !licences.contains(asked.licence())) {
      throw refused(
          "licence-refused",
          asked.os() + " runs here under one of " + licences + ", not '" + asked.licence() + "'");
    }
    owned("project", platform.projects, asked.project());
    owned("identity", platform.identities, asked.identity());
    if (asked.bootProtection() && !(platform.bootProtection && asked.firmware().equals("uefi"))) {
      throw refused(
          "boot-protection-refused",
          platform.bootProtection
              ? "boot protection needs UEFI, and " + asked.name() + " is started by BIOS"
              : "there is no boot protection here");
    }
  }

  private static void owned(String kind, List<String> offered, String asked) {
    if (!asked.isEmpty() && !offered.contains(asked)) {
      throw refused(kind + "-unknown", "there is no " + kind + " '" + asked + "' here");
    }
  }

  private static void name(Platform.Names rule, String name) {
    if (rule.longest() > 0 && name.length() > rule.longest()) {
      throw refused(
          "name-refused",
          "the name "
              + name
              + " is longer than the "
              + rule.longest()
              + " characters that are allowed here");
    }
    if (rule.plain() && !name.matches("[a-z]([a-z0-9-]*[a-z0-9])?")) {
      throw refused(
          "name-refused",
          "the name "
              + name
              + " is not of lower-case letters, digits and hyphens with a letter first");
    }
  }

  private static void zone(Platform platform, Machine asked) {
    String zone = asked.zone();
    if (zone == null || zone.isEmpty()) {
      return;
    }
    if (!platform.zones.contains(zone)) {
      throw refused("zone-unknown", "there is no zone '" + zone + "' here");
    }
    Size size = platform.sizes.get(asked.size());
    if (size != null
        && size.zones() != null
        && !size.zones().isEmpty()
        && !size.zones().contains(zone)) {
      throw refused("zone-unfit", "size " + size.id() + " is not offered in " + zone);
    }
    for (Nic nic : asked.nics()) {
      Network network = platform.networks.get(nic.network());
      if (network != null && !network.zone().isEmpty() && !network.zone().equals(zone)) {
        throw refused(
            "zone-unfit", "network " + network.id() + " is in " + network.zone() + ", not " + zone);
      }
    }
  }

  private static Refusal refused(String code, String message) {
    return new Refusal(422, code, message);
  }
}
