package bargelane.core.assess;

import bargelane.core.assess.Fitness.Effect;
import bargelane.core.assess.Fitness.Judgement;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import java.util.ArrayList;
import java.util.List;

/**
 * A machine, assessed on both bases.
 *
 * @param way by which it is best moved; empty if the rules know none
 * @param warnings what a reader of the observed figures must know
 */
public record Assessed(
    Subject subject,
    Sized configured,
    Sized observed,
    Verdict verdict,
    List<Judgement> judgements,
    String way,
    String wayWhy,
    List<String> warnings) {

  /** Whether it goes. */
  public enum Verdict {
    GOES("goes"),
    GOES_AFTER("goes after"),
    STAYS("stays");

    private final String text;

    Verdict(String text) {
      this.text = text;
    }

    public String text() {
      return text;
    }
  }

  /**
   * What a sizing found counts as well: where nothing fits something is to be done first; a fact
   * that is missing is a finding and no verdict.
   */
  public static Assessed of(
      Subject subject,
      Sized configured,
      Sized observed,
      Basis basis,
      List<Judgement> judged,
      String way,
      String wayWhy) {
    List<Judgement> all = new ArrayList<>(judged);
    for (Finding f : (basis == Basis.OBSERVED ? observed : configured).findings()) {
      Effect effect = f.code() == Code.FACT_MISSING ? Effect.MISSING : Effect.GOES_AFTER;
      all.add(new Judgement(f, effect, "sizing, " + basis.text(), List.of(), ""));
    }
    Verdict verdict = Verdict.GOES;
    for (Judgement j : all) {
      if (j.effect() == Effect.STAYS) {
        verdict = Verdict.STAYS;
      } else if (j.effect() == Effect.GOES_AFTER && verdict == Verdict.GOES) {
        verdict = Verdict.GOES_AFTER;
      }
    }
    return new Assessed(
        subject,
        configured,
        observed,
        verdict,
        all,
        way,
        wayWhy,
        subject.use().map(Use::warnings).orElse(List.of("nothing was measured in this window")));
  }

  public Sized on(Basis basis) {
    return basis == Basis.OBSERVED ? observed : configured;
  }
}
