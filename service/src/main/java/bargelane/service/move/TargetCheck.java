package bargelane.service.move;

import bargelane.core.finding.Finding;
import bargelane.core.site.Inventory;
import bargelane.core.wave.Gate;
import bargelane.service.plan.WaveStanding;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Work;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import java.util.Optional;
import java.util.Set;
import java.util.function.Function;
import org.hibernate.LockMode;

/**
 * Asks a wave's target what it has and takes, before anything is made or stopped. What was planned
 * by its last scan may not hold any more: a size or a licence was withdrawn, a quota used up, an
 * address taken. What it tells is kept, so that plans and pages go by it too.
 *
 * <p>Cost: one reading of the target's inventory, and the wave's preflight.
 */
final class TargetCheck {

  private record Wrong(String machine, Finding by) {}

  private final Services services;
  private final Moves moves;

  TargetCheck(Services services, Moves moves) {
    this.services = services;
    this.moves = moves;
  }

  /** Fails where a gate is shut that was open when the move was asked for. */
  Outcome before(Work w, Set<Gate> gates) {
    return check(
        w, standing -> standing.shut(gates).map(shut -> new Wrong(shut.machine(), shut.by())));
  }

  /** Fails where the disks of the wave have no place any more. */
  Outcome beforeLoad(Work w) {
    return check(
        w,
        standing ->
            standing.places().stream()
                .flatMap(
                    place ->
                        place.findings().stream()
                            .filter(f -> f.blocks() && f.code().ofStorage())
                            .map(f -> new Wrong(f.thing(), f)))
                .findFirst());
  }

  private Outcome check(Work w, Function<WaveStanding, Optional<Wrong>> judge) {
    TowState state = moves.state(w);
    Inventory now = moves.driver(state, Side.AWAY).inventory();
    Optional<Wrong> wrong =
        services
            .db()
            .tx(
                s -> {
                  SiteEntity site =
                      s.find(SiteEntity.class, state.away.id, LockMode.PESSIMISTIC_WRITE);
                  s.refresh(site);
                  new Inventories(s).store(site, now);
                  s.flush();
                  return judge.apply(
                      WaveStanding.of(
                          s, TowState.load(s, w.subjectId()), services.clock().instant()));
                });
    wrong.ifPresent(
        x -> {
          throw new RunFailure(
              x.by.code().text(),
              state.away.name + " would not take " + x.machine + " now: " + x.by.cause(),
              x.by.remedy());
        });
    return Outcome.done(state.away.name + " takes them as planned");
  }
}
