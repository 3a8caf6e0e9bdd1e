package bargelane.service.move;

import bargelane.api.RefitView;
import bargelane.api.RefitWord;
import bargelane.service.plan.Waves;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.TowState;
import java.util.List;

/**
 * What was found in the guests of a wave, and the engineer's word for those that can't be refitted.
 */
public final class RefitWords {

  private final Services services;
  private final Waves waves;

  public RefitWords(Services services, Waves waves) {
    this.services = services;
    this.waves = waves;
  }

  /** What the last look found, machine by machine. */
  public List<RefitView> refits(String ref) {
    return Refits.views(waves.state(ref));
  }

  /** Takes or, with an empty reason, takes back the engineer's word for a machine. */
  public List<RefitView> refitWord(String ref, RefitWord word, String by) {
    TowState state = waves.state(ref);
    MemberEntity member = Waves.member(state, word.machine());
    String reason = (word.reason() == null ? "" : word.reason()).strip();
    services
        .db()
        .run(
            s -> {
              s.find(MemberEntity.class, member.id).refitWord =
                  reason.isEmpty() ? "" : by + ": " + reason;
              services
                  .events()
                  .tell(
                      s,
                      "refit",
                      state.tow.id,
                      null,
                      reason.isEmpty()
                          ? member.name + ": the word for it is taken back"
                          : member.name + " may move without a refit, says " + by + ": " + reason,
                      null);
            });
    return refits(ref);
  }
}
