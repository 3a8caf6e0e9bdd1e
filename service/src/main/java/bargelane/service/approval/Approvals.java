package bargelane.service.approval;

import bargelane.api.ApprovalAnswer;
import bargelane.api.ApprovalAsk;
import bargelane.api.ApprovalView;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.Placement;
import bargelane.core.lane.Preflight;
import bargelane.core.wave.ApprovalState;
import bargelane.core.wave.Scope;
import bargelane.core.wave.WaveVerb;
import bargelane.core.word.Worded;
import bargelane.service.plan.Plans;
import bargelane.service.plan.WaveStanding;
import bargelane.service.plan.Waves;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.TowEntity;
import bargelane.service.replication.TowState;
import bargelane.service.replication.Tows;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import org.hibernate.LockMode;
import org.hibernate.Session;

/**
 * Who asked for what to be approved, and who answered. An approval is of what was planned when it
 * was asked for: whatever changes of that, it lapses. Nobody answers what they asked for
 * themselves.
 */
public final class Approvals {

  /** What can be approved: what changes machines in production. */
  private static final Set<WaveVerb> ASKED =
      Set.of(
          WaveVerb.CUTOVER, WaveVerb.FAILOVER, WaveVerb.FAILBACK, WaveVerb.UNDO, WaveVerb.SETTLE);

  private static final int LONGEST = 2000;
  private static final int LISTED = 200;

  private final Services services;
  private final Waves waves;

  public Approvals(Services services, Waves waves) {
    this.services = services;
    this.waves = waves;
  }

  /** Asks for a verb on a wave, as it is planned now, to be approved. */
  public ApprovalView ask(String ref, ApprovalAsk asked, String by) {
    WaveVerb verb = verb(asked.verb());
    String note = text("note", asked.note());
    return services
        .db()
        .tx(
            s -> {
              TowState state = waves.state(s, ref);
              Db.lock(s, "approval " + state.tow.id);
              WaveStanding standing = WaveStanding.of(s, state, services.clock().instant());
              standing
                  .status()
                  .refuses(verb)
                  .ifPresent(
                      r -> {
                        throw ProblemException.conflict(r.code(), r.cause(), r.remedy());
                      });
              Scope scope = scope(state, standing.places());
              Db.first(
                      s,
                      ApprovalEntity.class,
                      "from ApprovalEntity where towId = ?1 and verb = ?2 and outcome = ''",
                      state.tow.id,
                      verb.word())
                  .ifPresent(open -> instead(open, scope));
              s.flush();
              ApprovalEntity a = new ApprovalEntity();
              a.id = Ids.next("app");
              a.towId = state.tow.id;
              a.wave = state.tow.name;
              a.verb = verb.word();
              a.scope = Json.text(scope);
              a.note = note;
              a.askedBy = by;
              a.askedAt = services.clock().instant();
              s.persist(a);
              tell(s, a, by + " asks for approval of the " + a.verb + " of " + a.wave);
              return view(a, Optional.of(scope));
            });
  }

  /** One that is open and lapsed makes room for a new one. */
  private void instead(ApprovalEntity open, Scope now) {
    if (read(open).changedIn(now).isEmpty()) {
      throw ProblemException.conflict(
          "approval-open",
          open.askedBy + " has asked for that already",
          Remedy.of("have it answered", Action.APPROVAL_SHOW, open.id));
    }
    open.outcome = ApprovalState.LAPSED.word();
    open.answeredAt = services.clock().instant();
    open.reason = "it was asked for anew";
  }

  private static WaveVerb verb(String word) {
    return ASKED.stream()
        .filter(v -> v.word().equals(word))
        .findFirst()
        .orElseThrow(
            () ->
                ProblemException.invalid(
                    "verb-unknown",
                    "'" + word + "' is nothing that can be approved",
                    "give one of "
                        + ASKED.stream()
                            .map(WaveVerb::word)
                            .sorted()
                            .collect(Collectors.joining(", "))));
  }

  private static String text(String field, String text) {
    String given = text == null ? "" : text.strip();
    if (given.length() > LONGEST) {
      throw ProblemException.invalid(
          field + "-too-long",
          "the " + field + " has more than " + LONGEST + " characters",
          "give a shorter one");
    }
    return given;
  }

  private static Scope scope(TowState state, List<Preflight.Result> places) {
    List<Scope.Machine> machines = new ArrayList<>();
    for (int i = 0; i < state.members.size(); i++) {
      MemberEntity m = state.members.get(i);
      machines.add(
          new Scope.Machine(
              m.id, m.name, m.rank, Plans.proof(state, m, places.get(i).placement())));
    }
    return new Scope(machines);
  }

  private static Scope read(ApprovalEntity a) {
    return Json.read(a.scope, Scope.class);
  }

  /** Approves or declines. */
  public ApprovalView answer(String id, ApprovalAnswer answer, String by) {
    if (answer.approved() == null) {
      throw ProblemException.invalid(
          "field-missing", "'approved' is missing", "give true or false");
    }
    String reason = text("reason", answer.reason());
    if (!answer.approved() && reason.isEmpty()) {
      throw ProblemException.invalid(
          "reason-missing", "it is declined without a reason", "say why");
    }
    return services
        .db()
        .tx(
            s -> {
              ApprovalEntity a = open(s, id);
              if (a.askedBy.equals(by)) {
                throw ProblemException.conflict(
                    "approval-own",
                    by + " asked for it, and can't answer it too",
                    Remedy.advice("have another approver answer it"));
              }
              Optional<Scope> now = now(s, a.towId);
              List<String> changed = changed(a, now);
              if (answer.approved() && !changed.isEmpty()) {
                throw ProblemException.conflict(
                    "approval-lapsed",
                    "what is planned has changed since it was asked for: "
                        + String.join("; ", changed),
                    Remedy.of("have it asked for anew", Action.APPROVAL_ASK, a.wave, a.verb));
              }
              close(a, answer.approved() ? ApprovalState.APPROVED : ApprovalState.DECLINED, by);
              a.reason = reason;
              tell(s, a, by + " " + a.outcome + " the " + a.verb + " of " + a.wave);
              return view(a, now);
            });
  }

  /** Takes back what was asked for. */
  public ApprovalView withdraw(String id, String by) {
    return services
        .db()
        .tx(
            s -> {
              ApprovalEntity a = open(s, id);
              if (!a.askedBy.equals(by)) {
                throw ProblemException.conflict(
                    "approval-of-another",
                    a.askedBy + " asked for it",
                    Remedy.advice("have " + a.askedBy + " withdraw it, or have it declined"));
              }
              close(a, ApprovalState.WITHDRAWN, by);
              tell(s, a, by + " no longer asks for the " + a.verb + " of " + a.wave);
              return view(a, Optional.empty());
            });
  }

  private static ApprovalEntity open(Session s, String id) {
    ApprovalEntity a = s.find(ApprovalEntity.class, id, LockMode.PESSIMISTIC_WRITE);
    if (a == null) {
      throw ProblemException.missing("approval", id);
    }
    if (!a.outcome.isEmpty()) {
      throw ProblemException.conflict(
          "approval-answered",
          "it is " + a.outcome + " already",
          Remedy.of("look at it", Action.APPROVAL_SHOW, a.id));
    }
    return a;
  }

  private void close(ApprovalEntity a, ApprovalState as, String by) {
    a.outcome = as.word();
    a.answeredBy = by;
    a.answeredAt = services.clock().instant();
  }

  private void tell(Session s, ApprovalEntity a, String what) {
    services.events().tell(s, "approval", a.towId, null, what, Map.of("approval", a.id));
  }

  /** One of them. */
  public ApprovalView show(String id) {
    return services
        .db()
        .tx(
            s -> {
              ApprovalEntity a = s.find(ApprovalEntity.class, id);
              if (a == null) {
                throw ProblemException.missing("approval", id);
              }
              return view(a, now(s, a.towId));
            });
  }

  /**
   * The newest ones first.
   *
   * @param wave of this one, by id or name; empty for all
   * @param tows of these only, where they are given
   * @param open only those that nobody has answered
   */
  public List<ApprovalView> list(String wave, Optional<Set<String>> tows, boolean open) {
    return services.db().tx(s -> list(s, wave, tows, open));
  }

  /** The same, for a page that shows them. */
  public static List<ApprovalView> list(
      Session s, String wave, Optional<Set<String>> tows, boolean open) {
    String tow = wave.isEmpty() ? "" : Waves.tow(s, Waves.find(s, wave)).id;
    if (!tow.isEmpty()) {
      Tows.among(tows, tow, wave);
    }
    Map<String, Optional<Scope>> now = new HashMap<>();
    return Db.query(
            s,
            ApprovalEntity.class,
            "from ApprovalEntity where (?1 = '' or towId = ?1) and (outcome = '' or ?2 = false)"
                + " and (?3 = true or towId in ?4)"
                + " order by askedAt desc, id",
            tow,
            open,
            tows.isEmpty(),
            tows.orElse(Set.of("")))
        .setMaxResults(LISTED)
        .getResultList()
        .stream()
        .map(a -> view(a, now.computeIfAbsent(a.towId, t -> now(s, t))))
        .filter(v -> !open || v.state().equals(ApprovalState.OPEN.word()))
        .toList();
  }

  /** What is planned now; none where the wave was removed or is settled. */
  private static Optional<Scope> now(Session s, String towId) {
    return Optional.ofNullable(s.find(TowEntity.class, towId))
        .filter(t -> t.settledAt == null)
        .map(
            t -> {
              TowState state = TowState.load(s, towId);
              return scope(state, Plans.place(s, state));
            });
  }

  private static List<String> changed(ApprovalEntity a, Optional<Scope> now) {
    return now.map(n -> read(a).changedIn(n))
        .orElseGet(
            () -> a.outcome.isEmpty() ? List.of("the wave is settled or removed") : List.of());
  }

  private static ApprovalView view(ApprovalEntity a, Optional<Scope> now) {
    boolean answered = !a.outcome.isEmpty();
    boolean counts = !answered || a.outcome.equals(ApprovalState.APPROVED.word());
    List<String> changed = counts ? changed(a, now) : List.of();
    String state =
        !changed.isEmpty()
            ? ApprovalState.LAPSED.word()
            : answered ? Worded.of(ApprovalState.class, a.outcome).word() : "open";
    return new ApprovalView(
        a.id,
        a.wave,
        a.verb,
        read(a).machines().stream().map(Approvals::told).toList(),
        state,
        changed,
        a.note,
        a.askedBy,
        a.askedAt,
        a.answeredBy,
        a.answeredAt,
        a.reason);
  }

  private static String told(Scope.Machine m) {
    Placement p = m.proof().placement();
    return m.name() + " (rank " + m.rank() + (p.size().isEmpty() ? "" : ", " + p.size()) + ")";
  }
}
