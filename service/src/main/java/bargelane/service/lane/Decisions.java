package bargelane.service.lane;

import bargelane.api.RuleChange;
import bargelane.core.lane.AddressRule;
import bargelane.core.lane.Belonging;
import bargelane.core.lane.IngressRules;
import bargelane.core.lane.LanePlan;
import bargelane.core.lane.Rule;
import bargelane.core.lane.RuleScope;
import bargelane.core.lane.Rules;
import bargelane.core.lane.Setting;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.NameRule;
import bargelane.core.word.Worded;
import bargelane.service.machine.MachineEntity;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.text.Durations;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.hibernate.Session;

/**
 * Reads what people decide on a lane, and refuses what can't be: an unknown machine, a setting that
 * is not for what it is given for, a value that the target does not take as it was scanned last.
 */
final class Decisions {

  private static final Set<String> PARTS_OF_MACHINES =
      Set.of(RuleScope.MACHINE.word(), RuleScope.CARD.word(), RuleScope.DISK.word());

  /** Machines that are read at once. */
  private static final int AT_ONCE = 1_000;

  static final List<String> SWITCH = List.of(Rules.ON, Rules.OFF);

  private static final int LONGEST = 253;

  private final Session session;
  private final LaneEntity lane;
  private final String target;
  private final Optional<Inventory> source;
  private final Optional<Inventory> offered;
  private final Map<String, MachineEntity> machines = new HashMap<>();

  /**
   * @param target the name of the site at the lane's end
   * @param offered what the target has; empty where it was not scanned yet
   */
  Decisions(
      Session session,
      LaneEntity lane,
      String target,
      Optional<Inventory> source,
      Optional<Inventory> offered) {
    this.session = session;
    this.lane = lane;
    this.target = target;
    this.source = source;
    this.offered = offered;
  }

  /** Reads the machines that a list of changes is about together, where there are many. */
  void expect(List<RuleChange> changes) {
    List<String> named =
        changes.stream()
            .filter(
                c ->
                    c != null
                        && c.of() != null
                        && c.scope() != null
                        && PARTS_OF_MACHINES.contains(c.scope()))
            .map(c -> c.of().strip())
            .distinct()
            .toList();
    for (int from = 0; from < named.size(); from += AT_ONCE) {
      List<String> some = named.subList(from, Math.min(from + AT_ONCE, named.size()));
      for (MachineEntity m :
          Db.list(
              session,
              MachineEntity.class,
              "from MachineEntity where siteId = ?1 and id in ?2",
              lane.fromSiteId,
              some)) {
        machines.put(m.id, m);
      }
    }
  }

  private static ProblemException invalid(String code, String cause, String advice) {
    return ProblemException.invalid(code, cause, advice);
  }

  private static <E extends Enum<E> & Worded> E word(Class<E> type, String what, String word) {
    return Arrays.stream(type.getEnumConstants())
        .filter(e -> e.word().equals(word))
        .findFirst()
        .orElseThrow(
            () ->
                invalid(
                    what + "-unknown",
                    "'" + word + "' is not a " + what,
                    "give one of "
                        + String.join(
                            ", ",
                            Arrays.stream(type.getEnumConstants()).map(Worded::word).toList())));
  }

  /** The rule that is asked for; its value is empty where it is to be taken back. */
  Rule read(RuleChange asked) {
    Setting setting = word(Setting.class, "setting", asked.setting());
    RuleScope scope = word(RuleScope.class, "scope", asked.scope());
    if (!setting.scopes().contains(scope)) {
      throw invalid(
          "scope-unfit",
          setting.word() + " can't be set for a " + scope.word(),
          "set it for one of "
              + String.join(", ", setting.scopes().stream().map(Worded::word).toList()));
    }
    String of = asked.of() == null ? "" : asked.of().strip();
    String value = asked.value() == null ? "" : asked.value().strip();
    String subject = subject(scope, of, value.isEmpty());
    int part = part(scope, subject, asked.part(), value.isEmpty());
    int longest =
        setting == Setting.INGRESS || setting == Setting.LABELS ? IngressRules.LONGEST : LONGEST;
    if (value.length() > longest) {
      throw invalid(
          "value-too-long",
          setting.word()
              + " has "
              + value.length()
              + " characters, and at most "
              + longest
              + " are allowed",
          "give a shorter one");
    }
    if (!value.isEmpty()) {
      check(setting, scope, value);
    }
    return new Rule(
        scope,
        subject,
        part,
        setting,
        setting == Setting.ADDRESS
            ? AddressRule.read(value).map(AddressRule::text).orElse(value)
            : value);
  }

  /**
   * Whom a rule is for.
   *
   * @param gone it is taken back: what is not there any more can be named by its id
   */
  private String subject(RuleScope scope, String of, boolean gone) {
    return switch (scope) {
      case LANE -> {
        if (!of.isEmpty()) {
          throw invalid("scope-unfit", "the whole lane has no '" + of + "'", "leave it out");
        }
        yield "";
      }
      case CARD, DISK, MACHINE -> machine(of).id;
      case WAVE ->
          session
              .createNativeQuery(
                  "select w.id from wave w join tow t on t.wave_id = w.id"
                      + " where t.lane_id = :lane and (w.id = :of or w.name = :of)",
                  String.class)
              .setParameter("lane", lane.id)
              .setParameter("of", of)
              .getResultList()
              .stream()
              .findFirst()
              .orElseThrow(() -> ProblemException.missing("wave", of));
      case LABEL -> {
        int equals = of.indexOf('=');
        if (equals < 1 || equals == of.length() - 1) {
          throw invalid("label-malformed", "'" + of + "' is not a label", "give it as KEY=VALUE");
        }
        yield of.substring(0, equals).strip() + "=" + of.substring(equals + 1).strip();
      }
      case ROLE -> {
        if (!Rules.ROLES.contains(of)) {
          throw invalid(
              "role-unknown",
              "'" + of + "' is not a role of a disk",
              "give one of " + String.join(", ", Rules.ROLES));
        }
        yield of;
      }
      case NETWORK ->
          source
              .flatMap(i -> i.network(of))
              .map(Inventory.Network::id)
              .or(() -> Optional.of(of).filter(x -> gone))
              .orElseThrow(() -> ProblemException.missing("network", of));
      case STORAGE ->
          source
              .flatMap(i -> i.storage(of))
              .map(Inventory.Storage::id)
              .or(() -> Optional.of(of).filter(x -> gone))
              .orElseThrow(() -> ProblemException.missing("storage", of));
    };
  }

  private MachineEntity machine(String of) {
    return machines.computeIfAbsent(
        of,
        x -> {
          List<MachineEntity> found =
              Db.list(
                  session,
                  MachineEntity.class,
                  "from MachineEntity where siteId = ?1 and (id = ?2 or name = ?2)"
                      + " order by vanishedAt nulls first, id",
                  lane.fromSiteId,
                  of);
          List<MachineEntity> there = found.stream().filter(m -> m.vanishedAt == null).toList();
          List<MachineEntity> which = there.isEmpty() ? found : there;
          if (which.isEmpty()) {
            throw ProblemException.missing("machine", of);
          }
          if (which.size() > 1) {
            throw invalid(
                "machine-ambiguous",
                which.size() + " machines are called " + of,
                "give its id: " + String.join(", ", which.stream().map(m -> m.id).toList()));
          }
          return which.get(0);
        });
  }

  private int part(RuleScope scope, String subject, Integer part, boolean gone) {
    if (scope != RuleScope.CARD && scope != RuleScope.DISK) {
      if (part != null && part != Rule.WHOLE) {
        throw invalid("part-unfit", "a " + scope.word() + " has no number", "leave it out");
      }
      return Rule.WHOLE;
    }
    MachineEntity machine = session.find(MachineEntity.class, subject);
    MachineFacts facts = Json.read(machine.facts, MachineFacts.class);
    int count = scope == RuleScope.CARD ? facts.nics().size() : facts.disks().size();
    if (part == null || part < 0 || part >= count && !gone) {
      throw invalid(
          "part-unknown",
          machine.name
              + " has no "
              + scope.word()
              + (part == null ? " without a number" : " " + part),
          count == 0
              ? "see what it has"
              : "count from 0: it has 0" + (count == 1 ? "" : " to " + (count - 1)));
    }
    return part;
  }

  private void check(Setting setting, RuleScope scope, String value) {
    switch (setting) {
      case ADDRESS -> address(scope, value);
      case SUBNET -> among(setting, value, offered.map(Choices::subnets));
      case CLASS -> among(setting, value, offered.map(Choices::classes));
      case KEY -> among(setting, value, offered.map(i -> i.offers().keys()));
      case ZONE -> among(setting, value, offered.map(Choices::zones));
      case LICENCE -> among(setting, value, offered.map(Choices::licences));
      case PROJECT -> among(setting, value, offered.map(i -> i.offers().projects()));
      case IDENTITY -> among(setting, value, offered.map(i -> i.offers().identities()));
      case SOCKETS -> {
        if (!value.matches("[1-9][0-9]?")) {
          throw invalid(
              "sockets-malformed", "'" + value + "' is not a number of sockets", "give 1 to 99");
        }
        if (offered.filter(i -> !i.sizes().isEmpty()).isPresent()) {
          throw invalid(
              "sockets-unknown", target + " arranges processors by its sizes", "leave it out");
        }
      }
      case LABELS -> {
        if (Belonging.labels(value).isEmpty()) {
          throw invalid(
              "labels-malformed",
              "the labels can't be read",
              "give up to 30 as cost-centre=12; owner=library");
        }
      }
      case ROLE_OF_DISK -> fixed(setting, value, Rules.ROLES);
      case BOOT_PROTECTION -> among(setting, value, offered.map(Choices::protection));
      case INGRESS -> {
        if (IngressRules.read(value).isEmpty()) {
          throw invalid(
              "ingress-malformed",
              "these are no rules for what is let in",
              "give them as tcp/5432 from 10.20.1.0/24; udp/53 from any, or none");
        }
        if (offered.filter(i -> !i.offers().filters()).isPresent()) {
          throw invalid(
              "ingress-unknown", target + " does not filter what comes in", "leave it out");
        }
      }
      case POWER -> fixed(setting, value, SWITCH);
      case COPY -> copy(scope, value);
      case CARRIED_WITHIN -> {
        try {
          Durations.parse(value);
        } catch (IllegalArgumentException e) {
          throw invalid("duration-malformed", e.getMessage(), "give one as 15m");
        }
      }
      case OVERLAP -> fixed(setting, value, Choices.ACCEPTED);
      case SPAN -> fixed(setting, value, Choices.EXTENDED);
      case NAME ->
          Optional.of(offered.map(i -> i.offers().names()).orElse(NameRule.ANY))
              .flatMap(rule -> rule.refuses(value).map(why -> Map.entry(rule.fit(value), why)))
              .ifPresent(
                  no -> {
                    throw invalid(
                        "name-refused",
                        target + " does not take the name " + value + ": it " + no.getValue(),
                        "choose another one, such as " + no.getKey());
                  });
      case APART, TOGETHER -> {
        if (!value.matches("[\\p{L}\\p{N}][\\p{L}\\p{N} ._-]{0,62}")) {
          throw invalid(
              "group-malformed",
              "'" + value + "' is not a name of a group",
              "use up to 63 letters, digits, spaces and . _ -");
        }
      }
    }
  }

  private static void address(RuleScope scope, String value) {
    AddressRule rule =
        AddressRule.read(value)
            .orElseThrow(
                () ->
                    invalid(
                        "address-malformed",
                        "'" + value + "' is not a rule for an address",
                        "give one of " + AddressRule.WORDS));
    if (rule.how() == AddressRule.How.GIVEN && scope != RuleScope.CARD) {
      throw invalid(
          "address-for-many",
          "an address is one card's, and this is for a " + scope.word(),
          "set it for the card, or give a pool");
    }
  }

  /** Whether a disk is copied, or which volume it is carried to. */
  private static void copy(RuleScope scope, String value) {
    Optional<String> carried = Rules.carriedAs(value, "its own");
    if (carried.isEmpty()) {
      fixed(
          Setting.COPY,
          value,
          scope == RuleScope.DISK
              ? List.of(Rules.ON, Rules.OFF, Rules.CARRIED, Rules.CARRIED + ":VOLUME")
              : List.of(Rules.ON, Rules.OFF, Rules.CARRIED));
    } else if (carried.get().isBlank()) {
      throw invalid("copy-unknown", "'" + value + "' names no volume", "give it as carried:VOLUME");
    } else if (scope != RuleScope.DISK && !value.equals(Rules.CARRIED)) {
      throw invalid(
          "volume-for-many",
          "a volume is one disk's, and this is for a " + scope.word(),
          "set it for the disk; carried alone means volumes of the same names as at the source");
    }
  }

  /** A value that is one of a few words, whatever the target has. */
  private static void fixed(Setting setting, String value, List<String> words) {
    if (!words.contains(value)) {
      throw invalid(
          setting.word() + "-unknown",
          "'" + value + "' is not a value of " + setting.word(),
          "give " + (words.size() == 1 ? words.get(0) : "one of " + String.join(", ", words)));
    }
  }

  private void among(Setting setting, String value, Optional<List<String>> values) {
    if (values.isPresent() && !values.get().contains(value)) {
      throw invalid(
          setting.word() + "-unknown",
          values.get().isEmpty()
              ? target + " has nothing to choose as " + setting.word()
              : "'" + value + "' is not a " + setting.word() + " of " + target,
          values.get().isEmpty()
              ? "leave it out"
              : "give one of "
                  + String.join(", ", values.get())
                  + "; scan the site again if it has others now");
    }
  }

  /**
   * What of a lane's document a rule changes; none where it is a row of its own.
   *
   * @param plan as it is now
   */
  static Optional<LanePlan> document(LanePlan plan, Rule rule) {
    boolean gone = rule.value().isEmpty();
    return switch (rule.scope()) {
      case NETWORK ->
          rule.setting() == Setting.SUBNET
              ? Optional.of(
                  new LanePlan(
                      with(plan.networks(), rule),
                      plan.storages(),
                      plan.zone(),
                      plan.keepAddresses()))
              : Optional.empty();
      case STORAGE ->
          rule.setting() == Setting.CLASS
              ? Optional.of(
                  new LanePlan(
                      plan.networks(),
                      with(plan.storages(), rule),
                      plan.zone(),
                      plan.keepAddresses()))
              : Optional.empty();
      case LANE ->
          switch (rule.setting()) {
            case ZONE ->
                Optional.of(
                    new LanePlan(
                        plan.networks(), plan.storages(), rule.value(), plan.keepAddresses()));
            case ADDRESS ->
                gone
                    ? Optional.empty()
                    : AddressRule.read(rule.value())
                        .map(AddressRule::how)
                        .filter(
                            h -> h == AddressRule.How.KEEP_OR_CHOOSE || h == AddressRule.How.CHOOSE)
                        .map(
                            h ->
                                new LanePlan(
                                    plan.networks(),
                                    plan.storages(),
                                    plan.zone(),
                                    h == AddressRule.How.KEEP_OR_CHOOSE));
            default -> Optional.empty();
          };
      default -> Optional.empty();
    };
  }

  private static Map<String, String> with(Map<String, String> joins, Rule rule) {
    Map<String, String> all = new HashMap<>(joins);
    if (rule.value().isEmpty()) {
      all.remove(rule.of());
    } else {
      all.put(rule.of(), rule.value());
    }
    return all;
  }
}
