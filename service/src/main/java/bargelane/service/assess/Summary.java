package bargelane.service.assess;

import bargelane.api.AssessmentView.BasisView;
import bargelane.api.AssessmentView.BothView;
import bargelane.api.AssessmentView.CostView;
import bargelane.api.AssessmentView.CountView;
import bargelane.core.assess.Assessed;
import bargelane.core.assess.Assessed.Verdict;
import bargelane.core.assess.Basis;
import bargelane.core.assess.CostLine;
import bargelane.core.assess.CostLine.Kind;
import bargelane.core.assess.Fitness.Judgement;
import bargelane.core.assess.Sized;
import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;

/**
 * Sums over assessed machines: of what is shown of each, to the cent. Machines may be added from
 * several threads.
 */
final class Summary {

  private static final BigDecimal NOTHING = BigDecimal.ZERO.setScale(2);

  /** Sums of one basis. */
  private static final class Sums {
    private int sized;
    private int above;
    private long aboveSeconds;
    private BigDecimal monthly = NOTHING;
    private BigDecimal horizon = NOTHING;
    private final Map<Kind, BigDecimal> kinds = new EnumMap<>(Kind.class);

    void add(Sized s) {
      if (s.monthly().isPresent()) {
        sized++;
        monthly = monthly.add(s.monthly().get());
        horizon = horizon.add(s.horizon().orElseThrow());
        for (CostLine l : s.lines()) {
          kinds.merge(l.kind(), l.monthly(), BigDecimal::add);
        }
      }
      if (s.above()) {
        above++;
        aboveSeconds += Summary.above(s);
      }
    }
  }

  private final Map<String, BigDecimal> todays;
  private final Sums configured = new Sums();
  private final Sums observed = new Sums();
  private final Map<Verdict, Integer> verdicts = new EnumMap<>(Verdict.class);
  private final Map<String, Integer> reasons = new HashMap<>();
  private BigDecimal waiting = NOTHING;
  private BigDecimal today = NOTHING;
  private int todayKnown;
  private int unmeasured;
  private int count;
  private int both;
  private BigDecimal bothConfigured = NOTHING;
  private BigDecimal bothObserved = NOTHING;

  /**
   * @param todays what machines cost where they are, by their name in lower case
   */
  Summary(Map<String, BigDecimal> todays) {
    this.todays = todays;
  }

  synchronized void add(Assessed a) {
    count++;
    configured.add(a.configured());
    observed.add(a.observed());
    if (a.configured().monthly().isPresent() && a.observed().monthly().isPresent()) {
      both++;
      bothConfigured = bothConfigured.add(a.configured().monthly().get());
      bothObserved = bothObserved.add(a.observed().monthly().get());
    }
    verdicts.merge(a.verdict(), 1, Integer::sum);
    codes(a).forEach(c -> reasons.merge(c, 1, Integer::sum));
    waiting = waiting.add(a.observed().waiting().orElse(NOTHING));
    BigDecimal now = todays.get(a.subject().facts().name().toLowerCase(Locale.ROOT));
    if (now != null) {
      today = today.add(now);
      todayKnown++;
    }
    if (a.subject().use().isEmpty()) {
      unmeasured++;
    }
  }

  synchronized int count() {
    return count;
  }

  synchronized BigDecimal waiting() {
    return waiting;
  }

  synchronized BigDecimal today() {
    return today;
  }

  synchronized int todayKnown() {
    return todayKnown;
  }

  /** Machines of which nothing was measured in the window. */
  synchronized int unmeasured() {
    return unmeasured;
  }

  synchronized BasisView basis(Basis basis) {
    Sums s = basis == Basis.OBSERVED ? observed : configured;
    return new BasisView(
        s.sized, count - s.sized, s.monthly, s.horizon, s.above, s.aboveSeconds / 3600.0);
  }

  synchronized BothView both() {
    return new BothView(both, bothConfigured, bothObserved);
  }

  synchronized List<CountView> verdicts() {
    List<CountView> all = new ArrayList<>();
    for (Verdict v : Verdict.values()) {
      all.add(new CountView(v.text(), verdicts.getOrDefault(v, 0)));
    }
    return all;
  }

  /** The most frequent first. */
  synchronized List<CountView> reasons() {
    return reasons.entrySet().stream()
        .sorted(
            Map.Entry.<String, Integer>comparingByValue()
                .reversed()
                .thenComparing(Map.Entry.comparingByKey()))
        .map(e -> new CountView(e.getKey(), e.getValue()))
        .toList();
  }

  /** By what is paid for, of the machines that are in the sums. */
  synchronized List<CostView> costs() {
    List<CostView> all = new ArrayList<>();
    for (Kind kind : Kind.values()) {
      if (configured.kinds.containsKey(kind) || observed.kinds.containsKey(kind)) {
        all.add(
            new CostView(
                kind.text(),
                configured.kinds.getOrDefault(kind, NOTHING),
                observed.kinds.getOrDefault(kind, NOTHING)));
      }
    }
    return all;
  }

  /** For how many seconds a machine was above a size, in whichever way more. */
  static long above(Sized s) {
    return Math.max(s.aboveCpu().toSeconds(), s.aboveMemory().toSeconds());
  }

  /** Codes of a machine's findings, each once. */
  static List<String> codes(Assessed a) {
    return a.judgements().stream()
        .map(Judgement::finding)
        .map(f -> f.code().text())
        .distinct()
        .sorted()
        .toList();
  }
}
