package bargelane.core.lane;

import bargelane.core.site.Inventory.Disk;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.text.Durations;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collection;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.IntStream;

/**
 * All rules of a lane: what it joins and what holds for some machines, cards and disks only. Of two
 * rules the one for the more specific thing counts, in the order of {@link RuleScope}; of two
 * labels the first by its key, and the effective value says that there are two.
 *
 * <p>Cost: a look-up for each scope and for each label of a machine.
 */
public final class Rules {

  /** Whom a rule is for among those of one setting and scope. */
  private record Subject(String of, int part) {
    // Asked for some hundred thousand times for a large estate: the compiler's own are slower.
    @Override
    public boolean equals(Object other) {
      return other instanceof Subject s && part == s.part && of.equals(s.of);
    }

    @Override
    public int hashCode() {
      return 31 * of.hashCode() + part;
    }
  }

  /** Rules by setting and scope: for most there is none, which is seen at once. */
  private static final class Table {
    private final Map<Setting, Map<RuleScope, Map<Subject, String>>> values =
        new EnumMap<>(Setting.class);

    private void put(Setting setting, RuleScope scope, String of, int part, String value) {
      values
          .computeIfAbsent(setting, s -> new EnumMap<>(RuleScope.class))
          .computeIfAbsent(scope, s -> new HashMap<>())
          .put(new Subject(of, part), value);
    }

    private Map<Subject, String> of(Setting setting, RuleScope scope) {
      return values.getOrDefault(setting, Map.of()).getOrDefault(scope, Map.of());
    }

    private boolean has(Setting setting) {
      return values.containsKey(setting);
    }

    private Optional<String> get(Setting setting, RuleScope scope, String of, int part) {
      Map<Subject, String> all = of(setting, scope);
      return all.isEmpty() ? Optional.empty() : Optional.ofNullable(all.get(new Subject(of, part)));
    }
  }

  /**
   * What holds of something.
   *
   * @param scope whose rule it is
   * @param of the rule's label or role; otherwise empty
   * @param against another label whose rule says something else; empty where there is none
   */
  public record Effective(String value, RuleScope scope, String of, String against) {

    /** Where it comes from, as {@code the network} or {@code label app=lending}. */
    public String origin() {
      return switch (scope) {
        case LABEL -> "label " + of;
        case ROLE -> "role " + of;
        default -> scope.said();
      };
    }
  }

  /** What a disk is if nothing else is said: the first one starts the machine. */
  public static final String SYSTEM = "system";

  public static final String DATA = "data";
  public static final String LOG = "log";

  /** What is said of what is switched. */
  public static final String ON = "on";

  public static final String OFF = "off";

  /** A disk that a storage system carries, under the same name or another one. */
  public static final String CARRIED = "carried";

  private static final String CARRIED_AS = CARRIED + ":";
  public static final List<String> ROLES = List.of(SYSTEM, DATA, LOG);

  private final LanePlan plan;
  private final Table values = new Table();

  /** What the plan alone says. */
  private final Table planned = new Table();

  /**
   * @param plan what the whole lane joins
   * @param rules the others; of two of one thing the later counts
   */
  public Rules(LanePlan plan, Collection<Rule> rules) {
    this.plan = plan;
    plan.networks().forEach((n, to) -> put(RuleScope.NETWORK, n, Setting.SUBNET, to));
    plan.storages().forEach((s, to) -> put(RuleScope.STORAGE, s, Setting.CLASS, to));
    if (!plan.zone().isEmpty()) {
      put(RuleScope.LANE, "", Setting.ZONE, plan.zone());
    }
    put(RuleScope.LANE, "", Setting.ADDRESS, AddressRule.usual(plan.keepAddresses()).text());
    rules.forEach(r -> values.put(r.setting(), r.scope(), r.of(), r.part(), r.value()));
  }

  private void put(RuleScope scope, String of, Setting setting, String value) {
    values.put(setting, scope, of, Rule.WHOLE, value);
    planned.put(setting, scope, of, Rule.WHOLE, value);
  }

  /** What the whole lane joins. */
  public LanePlan plan() {
    return plan;
  }

  /** What holds of a network of the source, for whatever is on it. */
  public Optional<Effective> network(Setting setting, String network) {
    return at(setting, RuleScope.NETWORK, network, Rule.WHOLE);
  }

  /** What holds of a storage of the source, for whatever is on it. */
  public Optional<Effective> storage(Setting setting, String storage) {
    return at(setting, RuleScope.STORAGE, storage, Rule.WHOLE);
  }

  /** What holds of a machine. */
  public Optional<Effective> machine(Setting setting, LaneMachine m) {
    if (!values.has(setting)) {
      return Optional.empty();
    }
    return middle(setting, m).or(() -> at(setting, RuleScope.LANE, "", Rule.WHOLE));
  }

  /** What holds of a card of a machine. */
  public Optional<Effective> card(Setting setting, LaneMachine m, int card) {
    return at(setting, RuleScope.CARD, m.id(), card)
        .or(() -> middle(setting, m))
        .or(() -> network(setting, m.facts().nics().get(card).network()))
        .or(() -> at(setting, RuleScope.LANE, "", Rule.WHOLE));
  }

  /** What holds of a disk of a machine. */
  public Optional<Effective> disk(Setting setting, LaneMachine m, int disk) {
    if (!values.has(setting)) {
      return Optional.empty();
    }
    return at(setting, RuleScope.DISK, m.id(), m.place(disk))
        .or(() -> at(setting, RuleScope.ROLE, role(m, disk), Rule.WHOLE))
        .or(() -> middle(setting, m))
        .or(() -> storage(setting, m.facts().disks().get(disk).storage()))
        .or(() -> at(setting, RuleScope.LANE, "", Rule.WHOLE));
  }

  /** The role of a disk: as it was said, or by its place. */
  public String role(LaneMachine m, int disk) {
    return at(Setting.ROLE_OF_DISK, RuleScope.DISK, m.id(), m.place(disk))
        .map(Effective::value)
        .orElse(m.place(disk) == 0 ? SYSTEM : DATA);
  }

  /** Whether anything is decided of which disks are copied. */
  boolean leavesOut() {
    return values.has(Setting.COPY);
  }

  /** Whether a disk is decided to be left out of what is copied, carried by others or not. */
  public boolean leftOut(LaneMachine m, int disk) {
    return values.has(Setting.COPY)
        && disk(Setting.COPY, m, disk).filter(e -> !e.value().equals(ON)).isPresent();
  }

  /** A disk that is decided to be carried by a storage system; none if it is not. */
  public Optional<CarriedDisk> carried(LaneMachine m, int disk) {
    if (!leftOut(m, disk)) {
      return Optional.empty();
    }
    Disk of = m.facts().disks().get(disk);
    return disk(Setting.COPY, m, disk)
        .flatMap(e -> carriedAs(e.value(), of.volume()))
        .map(volume -> new CarriedDisk(m.place(disk), of, volume, carriedWithin(m)));
  }

  /** How far the instants of a machine's carried and copied disks may be from each other. */
  public Duration carriedWithin(LaneMachine m) {
    return machine(Setting.CARRIED_WITHIN, m)
        .map(e -> Durations.parse(e.value()))
        .orElse(CarriedDisk.USUAL);
  }

  /**
   * The volume that a value of {@link Setting#COPY} names; none if it does not say carried.
   *
   * @param atSource the name of the disk's own volume
   */
  public static Optional<String> carriedAs(String value, String atSource) {
    return value.equals(CARRIED)
        ? Optional.of(atSource)
        : value.startsWith(CARRIED_AS)
            ? Optional.of(value.substring(CARRIED_AS.length()))
            : Optional.empty();
  }

  /**
   * What a machine has to be copied by these rules: itself, without the disks that are left out.
   */
  public MachineFacts copied(LaneMachine m) {
    if (!m.copied().isEmpty() || !values.has(Setting.COPY)) {
      return m.facts();
    }
    List<Disk> disks =
        IntStream.range(0, m.facts().disks().size())
            .filter(i -> !leftOut(m, i))
            .mapToObj(m.facts().disks()::get)
            .toList();
    return disks.size() == m.facts().disks().size() ? m.facts() : m.facts().with(disks);
  }

  /**
   * What holds of a machine besides what the plan joins, as rules for it, its cards and disks
   * alone: with the plan they decide the same, whatever waves and labels it is taken from.
   */
  public List<Rule> alone(LaneMachine m) {
    List<Rule> all = new ArrayList<>();
    for (Setting setting : Setting.values()) {
      if (setting.scopes().contains(RuleScope.CARD)) {
        for (int i = 0; i < m.facts().nics().size(); i++) {
          alone(all, RuleScope.CARD, m, i, setting, card(setting, m, i));
        }
      } else if (setting.scopes().contains(RuleScope.DISK)) {
        for (int i = 0; i < m.facts().disks().size(); i++) {
          alone(all, RuleScope.DISK, m, i, setting, disk(setting, m, i));
        }
      } else if (setting.scopes().contains(RuleScope.MACHINE)) {
        alone(all, RuleScope.MACHINE, m, Rule.WHOLE, setting, machine(setting, m));
      }
    }
    return all;
  }

  private void alone(
      List<Rule> all,
      RuleScope scope,
      LaneMachine m,
      int part,
      Setting setting,
      Optional<Effective> of) {
    of.filter(
            e ->
                !planned
                    .get(setting, e.scope(), subject(e, m, part), Rule.WHOLE)
                    .equals(Optional.of(e.value())))
        .ifPresent(e -> all.add(new Rule(scope, m.id(), part, setting, e.value())));
  }

  private static String subject(Effective e, LaneMachine m, int part) {
    return switch (e.scope()) {
      case NETWORK -> m.facts().nics().get(part).network();
      case STORAGE -> m.facts().disks().get(part).storage();
      default -> "";
    };
  }

  private Optional<Effective> middle(Setting setting, LaneMachine m) {
    return at(setting, RuleScope.MACHINE, m.id(), Rule.WHOLE)
        .or(() -> at(setting, RuleScope.WAVE, m.wave(), Rule.WHOLE))
        .or(() -> label(setting, m));
  }

  private Optional<Effective> label(Setting setting, LaneMachine m) {
    Map<Subject, String> labels = values.of(setting, RuleScope.LABEL);
    if (labels.isEmpty()) {
      return Optional.empty();
    }
    Effective first = null;
    for (Map.Entry<String, String> label : m.labels().entrySet()) {
      String of = label.getKey() + "=" + label.getValue();
      String value = labels.get(new Subject(of, Rule.WHOLE));
      if (value == null) {
        continue;
      }
      if (first == null) {
        first = new Effective(value, RuleScope.LABEL, of, "");
      } else if (!first.value().equals(value) && first.against().isEmpty()) {
        first = new Effective(first.value(), RuleScope.LABEL, first.of(), of);
      }
    }
    return Optional.ofNullable(first);
  }

  private Optional<Effective> at(Setting setting, RuleScope scope, String of, int part) {
    return values.get(setting, scope, of, part).map(v -> new Effective(v, scope, of, ""));
  }
}
