package bargelane.service.assess;

import bargelane.core.assess.Assessed;
import bargelane.core.assess.Fitness.Judgement;
import bargelane.core.assess.Sized;
import bargelane.core.assess.Subject;
import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.MachineFacts;
import java.math.BigDecimal;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.Set;

/**
 * All that a revision holds of one machine: the figures, and the facts that they rest on, so that
 * each can be opened later though the machine is another by then.
 */
record Stored(
    MachineFacts facts,
    Map<String, String> media,
    Optional<BigDecimal> hoursAWeek,
    Set<String> licences,
    Optional<Double> outwardGib,
    boolean publicAddress,
    Sized configured,
    Sized observed,
    List<Judgement> judgements,
    String way,
    String wayWhy,
    List<String> warnings) {

  static Stored of(Assessed a) {
    Subject s = a.subject();
    return new Stored(
        s.facts().telling(GuestFacts.NONE),
        s.media(),
        s.hoursAWeek(),
        s.licences(),
        s.outwardGib().isPresent() ? Optional.of(s.outwardGib().getAsDouble()) : Optional.empty(),
        s.publicAddress(),
        a.configured(),
        a.observed(),
        a.judgements(),
        a.way(),
        a.wayWhy(),
        a.warnings());
  }

  Subject subject(String id) {
    return new Subject(
        id,
        facts,
        media,
        Optional.empty(),
        hoursAWeek,
        licences,
        outwardGib.map(OptionalDouble::of).orElse(OptionalDouble.empty()),
        publicAddress);
  }
}
