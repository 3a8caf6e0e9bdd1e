package bargelane.service.lane;

import bargelane.api.SettingView;
import bargelane.core.lane.AddressRule;
import bargelane.core.lane.Rules;
import bargelane.core.lane.Setting;
import bargelane.core.site.Inventory;
import bargelane.core.word.Worded;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.stream.Stream;

/** What a target takes for each setting of a lane, as it was scanned last. */
final class Choices {

  static final List<String> ACCEPTED = List.of("accepted");
  static final List<String> EXTENDED = List.of("extended");

  private Choices() {}

  static List<String> subnets(Inventory target) {
    return target.networks().stream()
        .filter(n -> !n.isolated())
        .map(Inventory.Network::id)
        .toList();
  }

  static List<String> classes(Inventory target) {
    return target.storages().stream().map(Inventory.Storage::id).toList();
  }

  static List<String> zones(Inventory target) {
    return target.zones().stream().filter(z -> !z.isEmpty()).toList();
  }

  static List<String> licences(Inventory target) {
    return target.offers().licences().stream().map(Inventory.Licence::id).distinct().toList();
  }

  static List<String> protection(Inventory target) {
    return target.offers().bootProtection() ? List.of("off", "on") : List.of("off");
  }

  /** All settings, with what the target takes; nothing is known of one that was not scanned. */
  static List<SettingView> of(Optional<Inventory> target) {
    return Arrays.stream(Setting.values())
        .map(
            setting ->
                new SettingView(
                    setting.word(),
                    setting.scopes().stream().map(Worded::word).toList(),
                    values(setting, target),
                    form(setting, target)))
        .toList();
  }

  private static List<String> values(Setting setting, Optional<Inventory> target) {
    return switch (setting) {
      case SUBNET -> target.map(Choices::subnets).orElse(List.of());
      case CLASS -> target.map(Choices::classes).orElse(List.of());
      case ZONE -> target.map(Choices::zones).orElse(List.of());
      case LICENCE -> target.map(Choices::licences).orElse(List.of());
      case PROJECT -> target.map(i -> i.offers().projects()).orElse(List.of());
      case KEY -> target.map(i -> i.offers().keys()).orElse(List.of());
      case IDENTITY -> target.map(i -> i.offers().identities()).orElse(List.of());
      case BOOT_PROTECTION -> target.map(Choices::protection).orElse(List.of());
      case ADDRESS -> List.of("keep", "keep-or-choose", "choose", "platform");
      case ROLE_OF_DISK -> Rules.ROLES;
      case POWER -> Decisions.SWITCH;
      case COPY ->
          Stream.concat(
                  Decisions.SWITCH.stream(),
                  target.stream()
                      .filter(i -> !i.carried().isEmpty())
                      .flatMap(
                          i ->
                              Stream.concat(
                                  Stream.of(Rules.CARRIED),
                                  i.carried().stream().map(v -> Rules.CARRIED + ":" + v.volume()))))
              .toList();
      case OVERLAP -> ACCEPTED;
      case SPAN -> EXTENDED;
      case NAME, APART, TOGETHER, INGRESS, CARRIED_WITHIN, LABELS, SOCKETS -> List.of();
    };
  }

  private static String form(Setting setting, Optional<Inventory> target) {
    return switch (setting) {
      case ADDRESS -> AddressRule.WORDS;
      case NAME ->
          target
              .map(i -> i.offers().names())
              .map(
                  n ->
                      (n.longest() > 0 ? "at most " + n.longest() + " characters" : "a name")
                          + (n.plain() ? ", of lower-case letters, digits and hyphens" : ""))
              .orElse("a name");
      case APART, TOGETHER -> "the name of a group";
      case COPY -> "on, off, carried, or carried:VOLUME for a disk";
      case LABELS -> "KEY=VALUE; ...";
      case SOCKETS -> "a number from 1";
      case CARRIED_WITHIN -> "a duration, as 15m";
      case INGRESS -> "PROTOCOL/PORT from RANGE; ..., from any, or none";
      default -> "one of the values";
    };
  }
}
