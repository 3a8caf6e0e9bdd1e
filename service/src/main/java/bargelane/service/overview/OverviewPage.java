package bargelane.service.overview;

import bargelane.api.Need;
import bargelane.api.Overview;
import bargelane.api.Problem;
import bargelane.api.WaveCard;
import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Remedy;
import bargelane.core.run.RunState;
import bargelane.core.wave.Gate;
import bargelane.core.wave.Need.Failure;
import bargelane.core.wave.Need.Urgency;
import bargelane.service.approval.Approvals;
import bargelane.service.event.Events;
import bargelane.service.machine.Machines;
import bargelane.service.plan.WaveStanding;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.Remedies;
import bargelane.service.replication.ReplicationViews;
import bargelane.service.replication.TowState;
import bargelane.service.run.RunEngine;
import bargelane.service.run.Runs;
import bargelane.service.site.SiteEntity;
import com.fasterxml.jackson.core.type.TypeReference;
import java.time.Clock;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.hibernate.Session;

/** What needs the engineer now, most urgent first; the estate along the gates; the waves. */
public final class OverviewPage {

  private final Db db;
  private final Events events;
  private final WavePages waves;
  private final Clock clock;

  public OverviewPage(Db db, Events events, WavePages waves, Clock clock) {
    this.db = db;
    this.events = events;
    this.waves = waves;
    this.clock = clock;
  }

  /**
   * The page.
   *
   * @param tows of which tows; of all, and of the sites, where none are given
   * @param machines a filter of the machines that are counted; empty for all
   */
  public Overview view(Optional<Set<String>> tows, String machines) {
    return db.tx(
        s -> {
          List<WaveStanding> standings = waves.standings(s, tows);
          List<bargelane.core.wave.Need> needs = new ArrayList<>();
          standings.forEach(x -> needs.addAll(needs(s, x)));
          if (tows.isEmpty()) {
            needs.addAll(sites(s));
            needs.addAll(NodesPage.needs(s, clock.instant()));
          }
          needs.addAll(approvals(s, tows));
          needs.sort(Comparator.comparing(bargelane.core.wave.Need::urgency));
          List<WaveCard> cards = standings.stream().map(WavePages::card).toList();
          Map<String, Integer> gates = new LinkedHashMap<>();
          for (Gate g : Gate.values()) {
            gates.put(g.word(), cards.stream().mapToInt(c -> c.gates().get(g.word())).sum());
          }
          return new Overview(
              clock.instant(),
              needs.stream()
                  .map(
                      n ->
                          new Need(
                              n.urgency().word(),
                              n.thing(),
                              n.cause(),
                              Remedies.view(n.remedy()),
                              n.wave(),
                              n.since().orElse(null)))
                  .toList(),
              gates,
              Machines.count(s, machines),
              cards.stream().mapToInt(WaveCard::machines).sum(),
              cards,
              Runs.list(s, tows, true, false, 10),
              events.newest(s, 14, tows));
        });
  }

  private static List<bargelane.core.wave.Need> needs(Session s, WaveStanding x) {
    String tow = x.state().tow.id;
    List<Failure> failures = new ArrayList<>();
    Optional.ofNullable(x.state().tow.uncheckedSince)
        .ifPresent(
            madeAt ->
                failures.add(
                    new Failure(
                        "wave " + x.state().tow.name,
                        "its records are those of a backup of "
                            + madeAt.truncatedTo(ChronoUnit.SECONDS)
                            + "; nothing is begun before it is seen where its machines run",
                        Remedy.of("have it looked at", Action.WAVE_RESUME, x.state().tow.name),
                        Optional.of(madeAt))));
    Runs.newest(s, tow)
        .filter(r -> r.state == RunState.FAILED)
        .ifPresent(
            r -> {
              Problem p = Json.read(r.problem, Problem.class);
              if (p.code().equals(RunEngine.STOPPED)) {
                return;
              }
              failures.add(
                  new Failure(
                      r.title,
                      p.detail(),
                      Remedies.read(p.remedy()),
                      Optional.ofNullable(r.endedAt)));
            });
    ReplicationViews.failed(s, tow)
        .ifPresent(
            p ->
                failures.add(
                    new Failure(
                        "wave " + x.state().tow.name + ", pass " + p.number,
                        p.problem,
                        Remedy.of("see its run", Action.RUN_SHOW, p.runId),
                        Optional.ofNullable(p.endedAt))));
    x.state()
        .leg
        .filter(l -> !l.scrubFound.isEmpty())
        .ifPresent(
            l ->
                failures.add(
                    new Failure(
                        "the copies of wave " + x.state().tow.name,
                        l.scrubFound,
                        Remedy.of(
                            "the next pass mends them; look at the target's storage",
                            Action.WAVE_SHOW,
                            x.state().tow.name),
                        Optional.ofNullable(l.scrubbedAt))));
    return bargelane.core.wave.Need.of(
        x.status(),
        x.protectedNow(),
        x.exposure(),
        x.state().members.size(),
        x.openGates(),
        stuck(s, x.state()),
        failures,
        x.next());
  }

  /** Runs that are being backed out and can't get on. */
  private static List<Failure> stuck(Session s, TowState state) {
    return Runs.open(s, state.tow.id).stream()
        .filter(r -> r.state == RunState.BACKING_OUT)
        .flatMap(r -> Runs.waits(s, r).stream())
        .map(
            w ->
                new Failure(
                    w.run(),
                    "it can't be taken back yet: " + w.cause(),
                    Remedy.of(
                        "it is tried again without end; if the site is lost for good",
                        Action.WAVE_DECLARE_LOST,
                        state.tow.name),
                    Optional.of(w.since())))
        .toList();
  }

  private static List<bargelane.core.wave.Need> approvals(Session s, Optional<Set<String>> tows) {
    return Approvals.list(s, "", tows, true).stream()
        .map(
            a ->
                new bargelane.core.wave.Need(
                    Urgency.SOON,
                    "wave " + a.wave(),
                    a.askedBy() + " asks for approval of its " + a.verb(),
                    Remedy.of("answer it", Action.APPROVAL_SHOW, a.id()),
                    a.wave(),
                    Optional.of(a.askedAt())))
        .toList();
  }

  private static List<bargelane.core.wave.Need> sites(Session s) {
    List<bargelane.core.wave.Need> needs = new ArrayList<>();
    for (SiteEntity site : Db.list(s, SiteEntity.class, "from SiteEntity order by name")) {
      Json.read(site.findings, new TypeReference<List<Finding>>() {}).stream()
          .filter(Finding::blocks)
          .forEach(
              f ->
                  needs.add(
                      new bargelane.core.wave.Need(
                          Urgency.SOON,
                          "site " + site.name,
                          f.cause(),
                          f.remedy(),
                          "",
                          Optional.ofNullable(site.checkedAt))));
    }
    return needs;
  }
}
