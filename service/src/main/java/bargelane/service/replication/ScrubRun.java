package bargelane.service.replication;

import bargelane.api.Problem;
import bargelane.core.replication.LegState;
import bargelane.core.replication.PassKind;
import bargelane.core.replication.PassState;
import bargelane.service.platform.Json;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunFailure;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import bargelane.text.Sizes;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;
import org.hibernate.LockMode;
import org.hibernate.Session;

/**
 * Reads all that the newest point of a leg holds at the target, and holds it against its digests:
 * whether the storage there has kept what was written. It gives way to all other passes. Disks that
 * differ are put in doubt, so that the next pass mends them.
 */
public final class ScrubRun implements RunKind {

  /** The name of this kind of run. */
  public static final String KIND = "scrub";

  private final Services services;

  public ScrubRun(Services services) {
    this.services = services;
  }

  @Override
  public String name() {
    return KIND;
  }

  @Override
  public boolean routine() {
    return true;
  }

  /** Begins a scrub of a leg's copies in the caller's transaction. */
  public static String start(Session s, RunEngine runs, TowEntity tow, String legId, String by) {
    return runs.start(
        s,
        new RunEngine.Start(
            KIND,
            "Scrub of " + tow.name,
            TowState.subject(tow),
            null,
            Map.of("leg", legId),
            List.of(),
            by));
  }

  @Override
  public List<Step> steps(Work work) {
    return List.of(new Step("compare", "Hold the copies against their digests", this::compare));
  }

  @Override
  public List<Step> backOut(Work work) {
    return List.of(new Step("abandon", "Revoke the exports", this::abandon));
  }

  private Outcome compare(Work w) {
    String pass = w.makeOnce(PassNotes.PASS, s -> begun(s, w));
    return services.passes().shipped(pass) instanceof Outcome.Wait wait
        ? new Outcome.Wait(wait.detail(), Duration.ofSeconds(5))
        : ended(w, pass);
  }

  private LegEntity leg(Session s, Work w) {
    return Optional.ofNullable(
            s.find(LegEntity.class, w.input().path("leg").asText(), LockMode.PESSIMISTIC_WRITE))
        .filter(l -> l.state != LegState.CLOSED)
        .orElseThrow(
            () ->
                new RunFailure(
                    "leg-closed",
                    "the direction of replication has changed",
                    "nothing is to be done"));
  }

  /** Offers the pass that compares; the point is not thinned while this run is open. */
  private String begun(Session s, Work w) {
    LegEntity leg = leg(s, w);
    PointEntity point =
        TowState.newestPoint(s, leg)
            .orElseThrow(
                () ->
                    new RunFailure(
                        "no-point", "there is no recovery point yet", "wait for the first pass"));
    w.leave(PassNotes.POINT, point.id);
    PassEntity pass =
        Passes.create(
            s, services.clock(), w.runId(), w.subjectId(), null, 0, PassKind.TALLY, false);
    pass.idle = true;
    s.flush();
    services.passes().offer(s, pass.id, p -> p.disks = Json.text(disks(s, leg, point)));
    return pass.id;
  }

  private static List<PassDisk> disks(Session s, LegEntity leg, PointEntity point) {
    List<PassDisk> disks = new ArrayList<>();
    Map<String, ReplicaEntity> replicas =
        Tows.replicas(s, leg.id).stream()
            .collect(Collectors.toMap(r -> r.memberId + "/" + r.disk, r -> r));
    for (PointVolume v : PointVolume.of(point)) {
      disks.add(
          PassDisk.tally(
              disks.size(),
              v.memberId(),
              s.find(MemberEntity.class, v.memberId()).name,
              v.disk(),
              new PassDisk.From(point.siteId, v.volume(), "", "", point.name),
              v.digestsIn(point),
              replicas.get(v.memberId() + "/" + v.disk()).bytes));
    }
    return disks;
  }

  private Outcome ended(Work w, String passId) {
    services.passes().seal(passId);
    Optional<PassEntity> recorded = services.db().tx(s -> record(s, w, passId));
    if (recorded.isEmpty()) {
      return Outcome.waitFor("some blocks differ; the pass that is under way ends first");
    }
    PassEntity pass = recorded.get();
    List<PassDisk> differing = differing(pass);
    if (!differing.isEmpty()) {
      throw new RunFailure(
          "copy-differs",
          found(differing),
          "the next pass compares all of these disks with the source and mends them; look at the"
              + " target's storage: it has not kept what was written");
    }
    return Outcome.done(Sizes.text(pass.total) + " compared, no block differs");
  }

  /** Empty while a pass is under way that would clear the doubt without knowing of it. */
  private Optional<PassEntity> record(Session s, Work w, String passId) {
    PassEntity pass = s.find(PassEntity.class, passId, LockMode.PESSIMISTIC_WRITE);
    if (pass.endedAt == null) {
      LegEntity leg = leg(s, w);
      List<PassDisk> differing = differing(pass);
      if (!Tows.doubt(s, leg.id, differing)) {
        return Optional.empty();
      }
      leg.scrubbedAt = services.clock().instant();
      leg.scrubFound = differing.isEmpty() ? "" : found(differing);
      Passes.close(pass, PassState.COMPLETE, services.clock().instant());
    }
    return Optional.of(pass);
  }

  private static List<PassDisk> differing(PassEntity pass) {
    return Passes.disks(pass).stream().filter(d -> d.moved() > 0).toList();
  }

  private static String found(List<PassDisk> differing) {
    return Sizes.text(differing.stream().mapToLong(PassDisk::moved).sum())
        + " at the target are not what was written there: "
        + differing.stream()
            .map(d -> "disk " + d.disk() + " of " + d.machine())
            .collect(Collectors.joining(", "));
  }

  private Outcome abandon(Work w) {
    w.get(PassNotes.PASS)
        .ifPresent(
            id -> {
              Optional<Problem> problem = w.problem();
              services
                  .passes()
                  .abandon(
                      id,
                      problem.map(Problem::code).orElse("given-up"),
                      problem.map(Problem::detail).orElse("the scrub was given up"));
              services
                  .db()
                  .run(
                      s -> {
                        PassEntity pass = s.find(PassEntity.class, id);
                        if (pass.endedAt == null) {
                          Passes.close(pass, PassState.FAILED, services.clock().instant());
                        }
                      });
            });
    return Outcome.done("");
  }
}
