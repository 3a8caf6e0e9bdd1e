package bargelane.service.platform;

import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.word.Worded;
import java.util.Optional;

/** Remedies as they are sent. */
public final class Remedies {

  private Remedies() {}

  public static bargelane.api.Remedy view(Remedy remedy) {
    return new bargelane.api.Remedy(
        remedy.advice(), remedy.action().map(Action::word).orElse(""), remedy.arguments());
  }

  /** One that was stored as it was sent. */
  public static Remedy read(bargelane.api.Remedy remedy) {
    return new Remedy(
        remedy.advice(),
        Optional.of(remedy.action()).filter(a -> !a.isEmpty()).map(a -> Worded.of(Action.class, a)),
        remedy.arguments());
  }
}
