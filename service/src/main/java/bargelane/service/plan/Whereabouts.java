package bargelane.service.plan;

import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.platform.ProblemException;
import bargelane.service.replication.Berth;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.sites.SiteException;
import java.time.temporal.ChronoUnit;
import java.util.List;
import java.util.Optional;

/** Looks at both sites of a wave whether its machines run where its records have them. */
final class Whereabouts {

  private final Services services;

  Whereabouts(Services services) {
    this.services = services;
  }

  /**
   * Holds the records against what runs. The side where the machines should run may be lost, with
   * its machines; the other must be seen, since machines that run there would be overwritten or
   * doubled.
   *
   * @return what was seen
   * @throws ProblemException if a machine runs elsewhere, or it can't be told
   */
  String check(TowState state) {
    if (state.tow.diverged) {
      // Machines may run on both, and reconciling fences one before it does anything else.
      return "its sides may differ, and are to be reconciled";
    }
    Side here = state.standing();
    Side there = here.other();
    List<MachineFacts> others;
    try {
      others = machines(state, there);
    } catch (SiteException e) {
      throw ProblemException.conflict(
          "not-checked",
          "it can't be seen whether machines of wave "
              + state.tow.name
              + " run at "
              + state.site(there).name
              + ": "
              + e.getMessage(),
          Remedy.of("check the site, and ask again", Action.SITE_CHECK, state.site(there).name));
    }
    for (MemberEntity m : state.members) {
      String berth = TowState.berth(m, there).map(Berth::platformId).orElse("");
      others.stream()
          .filter(x -> x.on() && (x.platformId().equals(berth) || x.name().equals(m.name)))
          .findFirst()
          .ifPresent(
              x -> {
                throw elsewhere(state, m.name + " runs at " + state.site(there).name);
              });
    }
    List<MachineFacts> own;
    try {
      own = machines(state, here);
    } catch (SiteException e) {
      return state.site(here).name
          + " does not answer; none of its machines runs at "
          + state.site(there).name;
    }
    for (MemberEntity m : state.members) {
      String berth = TowState.berth(m, here).map(Berth::platformId).orElse("");
      Optional<MachineFacts> found =
          own.stream().filter(x -> x.platformId().equals(berth)).findFirst();
      if (found.isEmpty()) {
        throw elsewhere(state, m.name + " is not at " + state.site(here).name + " any more");
      }
      if (found.get().fenced()) {
        throw elsewhere(
            state,
            m.name + " is fenced at " + state.site(here).name + ", as after a move from there");
      }
    }
    return "its machines are at " + state.site(here).name;
  }

  private List<MachineFacts> machines(TowState state, Side side) {
    return services.sites().driver(state.siteId(side)).inventory().machines();
  }

  private static ProblemException elsewhere(TowState state, String seen) {
    return ProblemException.conflict(
        "moved-since",
        "the records of wave "
            + state.tow.name
            + " are of "
            + state.tow.uncheckedSince.truncatedTo(ChronoUnit.SECONDS)
            + " and have its machines at "
            + state.site(state.standing()).name
            + ", but "
            + seen,
        "restore a backup from after that move, or bring the machines back by hand; docs/operations.md has both");
  }
}
