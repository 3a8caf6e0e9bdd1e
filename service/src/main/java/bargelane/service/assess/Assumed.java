package bargelane.service.assess;

import bargelane.api.AssumptionsView;
import bargelane.api.AssumptionsView.HeadroomView;
import bargelane.core.assess.Assumptions;
import bargelane.core.assess.Assumptions.Headroom;
import bargelane.core.assess.Basis;
import bargelane.core.assess.Commitment;
import bargelane.core.assess.Offer;
import bargelane.service.platform.ProblemException;
import java.time.LocalDate;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;

/** Assumptions as they are told, and as the computation takes them. */
final class Assumed {

  private Assumed() {}

  /** With everything said: what is asked for, else what was assumed before, else what is usual. */
  static AssumptionsView over(AssumptionsView asked, AssumptionsView before, LocalDate today) {
    Assumptions usual = Assumptions.usual(today);
    HeadroomView a = asked.headroom() == null ? NO_HEADROOM : asked.headroom();
    HeadroomView b = before.headroom() == null ? NO_HEADROOM : before.headroom();
    Headroom u = usual.headroom();
    return new AssumptionsView(
        first(asked.basis(), before.basis(), usual.basis().text()),
        first(asked.percentile(), before.percentile(), usual.percentile()),
        first(asked.days(), before.days(), usual.days()),
        first(asked.until(), before.until(), usual.until()),
        first(asked.sustainedHours(), before.sustainedHours(), usual.sustainedHours()),
        new HeadroomView(
            first(a.cpu(), b.cpu(), u.cpu()),
            first(a.memory(), b.memory(), u.memory()),
            first(a.disk(), b.disk(), u.disk()),
            first(a.network(), b.network(), u.network())),
        new TreeSet<>(first(asked.families(), before.families(), Set.of())),
        new TreeSet<>(first(asked.generations(), before.generations(), Set.of())),
        first(asked.zone(), before.zone(), ""),
        first(asked.generationFactors(), before.generationFactors(), Map.of()),
        first(asked.commitment(), before.commitment(), usual.commitment().text()),
        first(asked.hoursAWeek(), before.hoursAWeek(), usual.hoursAWeek()),
        first(asked.runningHours(), before.runningHours(), List.of()),
        first(asked.discountPercent(), before.discountPercent(), usual.discountPercent()),
        first(asked.ownLicences(), before.ownLicences(), Set.<String>of()).stream()
            .map(l -> l.strip().toLowerCase(Locale.ROOT))
            .collect(Collectors.toCollection(TreeSet::new)),
        first(asked.growthPercent(), before.growthPercent(), usual.growthPercent()),
        first(asked.horizonMonths(), before.horizonMonths(), usual.horizonMonths()));
  }

  private static final HeadroomView NO_HEADROOM = new HeadroomView(null, null, null, null);

  private static <T> T first(T asked, T before, T usual) {
    return asked != null ? asked : before != null ? before : usual;
  }

  static ProblemException wrong(String what, String remedy) {
    return ProblemException.invalid("assumption-malformed", what, remedy);
  }

  static Basis basis(String text) {
    for (Basis b : Basis.values()) {
      if (b.text().equals(text)) {
        return b;
      }
    }
    throw wrong("'" + text + "' is not a basis", "write configured or observed");
  }

  static Commitment commitment(String text) {
    return Commitment.of(text)
        .orElseThrow(
            () -> wrong("'" + text + "' is not a commitment", "write none, 1 year or 3 years"));
  }

  /** As the computation takes them; what can't be is refused with its name. */
  static Assumptions core(AssumptionsView v) {
    try {
      return new Assumptions(
          basis(v.basis()),
          v.percentile(),
          v.days(),
          v.until(),
          v.sustainedHours(),
          new Headroom(
              v.headroom().cpu(),
              v.headroom().memory(),
              v.headroom().disk(),
              v.headroom().network()),
          v.families(),
          v.generations(),
          v.zone(),
          v.generationFactors(),
          commitment(v.commitment()),
          v.hoursAWeek(),
          v.discountPercent(),
          v.ownLicences(),
          v.growthPercent(),
          v.horizonMonths());
    } catch (IllegalArgumentException e) {
      throw wrong(e.getMessage(), "give another value");
    } catch (NullPointerException e) {
      throw wrong("a list of assumptions holds nothing in a place", "leave it out");
    }
  }

  /**
   * Refuses families, generations and zones that nobody offers: they are most often typed wrong.
   */
  static void offered(Assumptions a, Offer offer) {
    known("family", a.families(), offer.sizes().stream().map(s -> s.limits().family()).toList());
    known(
        "generation",
        a.generations(),
        offer.sizes().stream().map(s -> s.limits().generation()).toList());
    known(
        "generation",
        a.generationFactors().keySet(),
        offer.sizes().stream().map(s -> s.limits().generation()).toList());
    if (!a.zone().isEmpty()) {
      List<String> zones =
          offer.sizes().stream().flatMap(s -> s.limits().zones().stream()).toList();
      if (!zones.isEmpty() && offer.sizes().stream().noneMatch(s -> s.limits().zones().isEmpty())) {
        known("zone", Set.of(a.zone()), zones);
      }
    }
  }

  private static void known(String what, Set<String> asked, List<String> offered) {
    for (String one : asked) {
      if (!offered.contains(one)) {
        throw wrong(
            "no size of the " + what + " '" + one + "' is offered",
            "there are: "
                + offered.stream()
                    .filter(f -> !f.isEmpty())
                    .distinct()
                    .sorted()
                    .collect(Collectors.joining(", ")));
      }
    }
  }
}
