package bargelane.service.move;

import static java.util.stream.Collectors.toSet;

import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.site.Inventory;
import bargelane.core.wave.Gate;
import bargelane.service.plan.WaveStanding;
import bargelane.service.replication.PointVolume;
import bargelane.service.replication.ReplicaEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Work;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import bargelane.text.Sizes;
import java.util.List;
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
  private final Carrying carrying;

  TargetCheck(Services services, Moves moves, Carrying carrying) {
    this.services = services;
    this.moves = moves;
    this.carrying = carrying;
  }

  /** Fails where a gate is shut that was open when the move was asked for. */
  Outcome before(Work w, Set<Gate> gates) {
    TowState state = moves.state(w);
    examine(state, Side.AWAY);
    Inventory now = moves.driver(state, Side.AWAY).inventory();
    Outcome checked =
        check(
            w,
            now,
            standing -> standing.shut(gates).map(shut -> new Wrong(shut.machine(), shut.by())));
    room(state.replicas, state.away, now);
    carrying.fit(w, Side.AWAY);
    return checked;
  }

  /**
   * Fails where a side is not ready, has no room for clones of the disks that are copied to it, or
   * what is carried to it can't be a disk of its machine.
   */
  Outcome room(Work w, Side side) {
    examine(moves.state(w), side);
    carrying.fit(w, side);
    return room(w, side, moves.state(w).replicas);
  }

  /**
   * The same for the disks that the run's point has: others may have come since. What is carried
   * has to be of about the point's instant.
   */
  Outcome roomForPoint(Work w, Side side) {
    carrying.near(w, side, moves.point(w));
    Set<String> has =
        PointVolume.of(moves.point(w)).stream().map(PointVolume::volume).collect(toSet());
    return room(
        w, side, moves.state(w).replicas.stream().filter(r -> has.contains(r.volume)).toList());
  }

  /** The machines run on clones, while the copies that they are made from stay. */
  private Outcome room(Work w, Side side, List<ReplicaEntity> copies) {
    TowState state = moves.state(w);
    room(copies, state.site(side), moves.driver(state, side).inventory());
    return Outcome.done(state.site(side).name + " has room for the clones");
  }

  private static void room(List<ReplicaEntity> copies, SiteEntity site, Inventory now) {
    long bytes = copies.stream().mapToLong(r -> r.bytes).sum();
    long lacking = now.quota().shortOf(bytes);
    if (lacking > 0) {
      throw new RunFailure(
          Code.QUOTA_VOLUMES.text(),
          site.name
              + " has a quota of "
              + now.quota().volumeGib()
              + " GiB of volumes, of which "
              + now.quota().volumeGibUsed()
              + " are used; clones of "
              + Sizes.text(bytes)
              + " need "
              + lacking
              + " GiB more",
          "ask the site's owner for a higher quota, or settle a wave first; no machine was stopped");
    }
  }

  /**
   * Fails where a site lacks something, a permission among it, that no move goes without. One that
   * does not answer is asked again by the next step, and is no failure here.
   */
  private void examine(TowState state, Side side) {
    services.sites().examine(state.siteId(side), moves.driver(state, side)).stream()
        .filter(f -> f.blocks() && f.code() != Code.SITE_UNREACHABLE)
        .findFirst()
        .ifPresent(
            f -> {
              throw new RunFailure(
                  f.code().text(),
                  state.site(side).name + " is not ready: " + f.cause(),
                  f.remedy());
            });
  }

  /** Whether a site has the keys that copies are to be made under. */
  private static boolean offers(Inventory now, List<String> keys) {
    return keys.stream().allMatch(k -> k.isEmpty() || now.offers().keys().contains(k));
  }

  /** Fails where an end is not ready, or the disks of the wave have no place any more. */
  Outcome beforeLoad(Work w) {
    examine(moves.state(w), Side.HOME);
    examine(moves.state(w), Side.AWAY);
    Inventory now = moves.driver(moves.state(w), Side.AWAY).inventory();
    return check(
        w,
        now,
        standing ->
            standing.places().stream()
                .flatMap(
                    place ->
                        place.findings().stream()
                            .filter(
                                f ->
                                    f.blocks()
                                        && (f.code().ofStorage()
                                            || f.code() == Code.CHOICE_NOT_OFFERED
                                                && !offers(now, place.placement().keys())))
                            .map(f -> new Wrong(f.thing(), f)))
                .findFirst());
  }

  private Outcome check(Work w, Inventory now, Function<WaveStanding, Optional<Wrong>> judge) {
    TowState state = moves.state(w);
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
