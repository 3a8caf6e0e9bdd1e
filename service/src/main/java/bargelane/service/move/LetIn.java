package bargelane.service.move;

import static java.util.stream.Collectors.joining;

import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.IngressRules;
import bargelane.core.lane.Placement;
import bargelane.core.net.Address;
import bargelane.core.net.Subnet;
import bargelane.core.site.Inventory.Ingress;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.plan.Plans;
import bargelane.service.replication.Berth;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Work;
import bargelane.service.site.Inventories;
import bargelane.sites.Compute;
import bargelane.text.Counts;
import bargelane.text.Durations;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.stream.Stream;

/**
 * Whether those get through to machines that have landed whom the target is to let in. The platform
 * is not taken at its word: connections are made as they come from outside, where it offers a way
 * to make them.
 *
 * <p>Cost: for each machine two questions to the platform, and a connection for each rule and each
 * port, of which there are at most {@value #MOST}.
 */
final class LetIn {

  /** Rules of a machine that are tried at most. */
  static final int MOST = 20;

  /** Machines that are tried at once: as many as a site lets a move call it. */
  private static final int AT_ONCE = 8;

  /** Who stands for everybody, and who for somebody whom no rule names: RFC 5737 and RFC 3849. */
  private static final String EVERYBODY = "198.51.100.1";

  private static final String EVERYBODY_6 = "2001:db8::1";
  private static final String STRANGER = "203.0.113.1";
  private static final String STRANGER_6 = "2001:db8:ffff::1";

  private final Services services;
  private final Moves moves;

  LetIn(Services services, Moves moves) {
    this.services = services;
    this.moves = moves;
  }

  /** One connection that is tried: as whom, to which of a machine's addresses. */
  record Try(String what, int port, String from, String to, boolean wanted) {}

  /** Whether the target of a wave filters what comes in. */
  boolean filters(TowState state) {
    return services.db().tx(s -> new Inventories(s).of(state.away)).offers().filters();
  }

  /**
   * Keeps what a machine is to let in at a target that filters. A machine that stands there already
   * is given what the lane decides, and keeps what it has where nothing is decided.
   *
   * @param stands its id at the target; none if it is made with these rules
   */
  void prepare(
      Work w,
      TowState state,
      MemberEntity m,
      Placement placement,
      Compute compute,
      Optional<Berth> stands) {
    List<Ingress> rules = placement.ingressOf(Plans.facts(state, m).ingress());
    if (stands.isPresent()) {
      String id = stands.get().platformId();
      List<Ingress> has = compute.machine(id).ingress();
      if (placement.ingress() == null) {
        rules = has;
      } else if (!has.equals(rules)) {
        if (w.notes().get(MoveNotes.RULES_BEFORE, m.id).isEmpty()) {
          w.put(MoveNotes.RULES_BEFORE, m.id, has);
        }
        compute.letIn(id, rules);
      }
    }
    w.put(MoveNotes.RULES, m.id, rules);
  }

  /** What is tried of a machine's rules. */
  static List<Try> tries(List<Ingress> rules, List<String> addresses) {
    List<Try> all = new ArrayList<>();
    Optional<String> four = addresses.stream().filter(a -> !Address.six(a)).findFirst();
    Optional<String> six = addresses.stream().filter(Address::six).findFirst();
    List<Ingress> tcp = rules.stream().filter(r -> r.protocol().equals("tcp")).limit(MOST).toList();
    for (Ingress r : tcp) {
      Optional<Subnet> range = Subnet.of(r.from());
      boolean of6 = range.map(Subnet::six).orElse(four.isEmpty());
      String from = range.map(LetIn::oneOf).orElse(of6 ? EVERYBODY_6 : EVERYBODY);
      (of6 ? six : four)
          .ifPresent(to -> all.add(new Try(IngressRules.text(r), r.port(), from, to, true)));
    }
    String stranger = four.isPresent() ? STRANGER : STRANGER_6;
    tcp.stream()
        .map(Ingress::port)
        .distinct()
        .filter(port -> !IngressRules.lets(rules, "tcp", port, stranger))
        .forEach(
            port ->
                four.or(() -> six)
                    .ifPresent(
                        to ->
                            all.add(
                                new Try(
                                    "tcp/" + port + " from elsewhere",
                                    port,
                                    stranger,
                                    to,
                                    false))));
    return all;
  }

  /** An address of a range that can be a machine's. */
  private static String oneOf(Subnet range) {
    if (range.prefix() == 0) {
      return range.six() ? EVERYBODY_6 : EVERYBODY;
    }
    String text = range.toString();
    boolean single = range.prefix() == (range.six() ? 128 : 32);
    return single ? text.substring(0, text.indexOf('/')) : range.firstAddress();
  }

  /**
   * Tries it for machines that have answered.
   *
   * @param rank the one that they start with
   * @param mayBeShut whether the run goes on where somebody does not get through
   * @throws RunFailure if somebody does not within the time that the machine is given
   */
  Outcome look(
      Work w, Side side, int rank, List<MemberEntity> members, Compute compute, boolean mayBeShut) {
    Map<String, String> waits = new ConcurrentHashMap<>();
    Map<String, String> told = new ConcurrentHashMap<>();
    Together.each(
        members.stream()
            .filter(m -> side == Side.AWAY && w.notes().get(MoveNotes.RULES, m.id).isPresent())
            .filter(m -> w.notes().get(MoveNotes.LET_IN, m.id).isEmpty())
            .toList(),
        AT_ONCE,
        m -> {
          Map<Try, Boolean> tried = tried(w, m, compute);
          Optional<Try> shut =
              tried.keySet().stream().filter(t -> t.wanted() && !tried.get(t)).findFirst();
          shut.ifPresent(t -> waits.put(m.id, shut(w, m, rank, t, mayBeShut)));
          if (shut.isEmpty() || mayBeShut) {
            w.put(
                MoveNotes.LET_IN,
                m.id,
                tried.keySet().stream().map(t -> text(t, tried.get(t))).toList());
          }
          if (!tried.isEmpty()) {
            told.put(m.id, told(m, tried));
          }
        });
    return waits.isEmpty() || mayBeShut
        ? Outcome.done(in(members, waits, told))
        : Outcome.waitFor(in(members, waits));
  }

  private static Map<Try, Boolean> tried(Work w, MemberEntity m, Compute compute) {
    MachineFacts facts = compute.machine(w.need(MoveNotes.MACHINES).get(m.id));
    List<String> addresses =
        facts.nics().stream().map(n -> n.address()).filter(a -> !a.isEmpty()).toList();
    Map<Try, Boolean> tried = new LinkedHashMap<>();
    for (Try t : tries(w.notes().get(MoveNotes.RULES, m.id).orElseThrow(), addresses)) {
      compute.reached(t.to(), t.port(), t.from()).ifPresent(through -> tried.put(t, through));
    }
    return tried;
  }

  private static String told(MemberEntity m, Map<Try, Boolean> tried) {
    StringBuilder all = new StringBuilder();
    tried.forEach(
        (t, through) -> {
          if (through && !t.wanted()) {
            all.append(t.from())
                .append(", whom no rule names, gets through to ")
                .append(m.name)
                .append(" at tcp/")
                .append(t.port())
                .append("; ");
          }
        });
    return all.append(m.name)
        .append(" was tried from outside by ")
        .append(Counts.of(tried.size(), "connection"))
        .toString();
  }

  /** What is told of members, in their order. */
  @SafeVarargs
  private static String in(List<MemberEntity> members, Map<String, String>... texts) {
    return Stream.of(texts)
        .flatMap(t -> members.stream().map(m -> t.get(m.id)))
        .filter(Objects::nonNull)
        .collect(joining("; "));
  }

  private String shut(Work w, MemberEntity m, int rank, Try t, boolean mayBeShut) {
    String site = moves.state(w).away.name;
    String cause =
        m.name
            + " answers, but "
            + t.from()
            + " does not get through to it at tcp/"
            + t.port()
            + ", though "
            + site
            + " is to let in "
            + t.what();
    Duration within = Duration.ofSeconds(Plans.probe(m).withinSeconds());
    Instant since = w.need(MoveNotes.rank(rank));
    if (!mayBeShut && since.plus(within).isBefore(services.clock().instant())) {
      throw new RunFailure(
          "shut-out",
          cause + ", and " + Durations.text(within) + " have passed",
          Remedy.of(
              "see what else filters there; the machines start where they were",
              Action.LANE_INGRESS,
              moves.state(w).lane.name));
    }
    return cause;
  }

  private static String text(Try t, boolean through) {
    return t.what() + ": " + t.from() + (through ? " gets through" : " is shut out");
  }

  /** For a dossier: what was tried of each machine, by its name. */
  void tell(Work w, Map<String, Object> record) {
    Map<String, List<String>> tried = new LinkedHashMap<>();
    for (MemberEntity m : moves.state(w).members) {
      w.notes()
          .get(MoveNotes.LET_IN, m.id)
          .filter(t -> !t.isEmpty())
          .ifPresent(t -> tried.put(m.name, t));
    }
    if (!tried.isEmpty()) {
      record.put("letIn", tried);
    }
  }
}
