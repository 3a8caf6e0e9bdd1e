package bargelane.service.move;

import bargelane.api.RefitOfferChoice;
import bargelane.api.RefitView;
import bargelane.api.RefitWord;
import bargelane.blocks.refit.Offer;
import bargelane.service.plan.Plans;
import bargelane.service.plan.Waves;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.TowState;
import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import org.hibernate.LockMode;

/**
 * What was found in the guests of a wave, the engineer's word for those that can't be refitted, and
 * what refits add besides.
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

  /** Has refits of a machine, or of all of the wave, add something, or add it no more. */
  public List<RefitView> choose(String ref, RefitOfferChoice choice, String by) {
    if (choice.offer() == null || !Offer.NAMES.contains(choice.offer())) {
      throw ProblemException.invalid(
          "offer-unknown",
          "'" + choice.offer() + "' is nothing that a refit can add",
          "give one of " + String.join(", ", Offer.NAMES));
    }
    TowState state = waves.state(ref);
    List<MemberEntity> members =
        choice.machine() == null ? state.members : List.of(Waves.member(state, choice.machine()));
    services
        .db()
        .run(
            s -> {
              for (MemberEntity m : members) {
                MemberEntity member = s.find(MemberEntity.class, m.id, LockMode.PESSIMISTIC_WRITE);
                Set<String> offers = new TreeSet<>(Plans.offers(member));
                if (choice.accepted()
                    ? offers.add(choice.offer())
                    : offers.remove(choice.offer())) {
                  member.refitOffers = Json.text(offers);
                  services
                      .events()
                      .tell(
                          s,
                          "refit",
                          state.tow.id,
                          null,
                          by
                              + (choice.accepted() ? " added " : " left out ")
                              + choice.offer()
                              + " for "
                              + member.name,
                          null);
                }
              }
            });
    return refits(ref);
  }
}
