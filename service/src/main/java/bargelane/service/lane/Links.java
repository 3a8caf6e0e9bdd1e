package bargelane.service.lane;

import bargelane.api.LinkView;
import bargelane.api.LinkView.LinkEndView;
import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunEntity;
import bargelane.service.run.Runs;
import bargelane.service.run.Subject;
import bargelane.service.site.SiteEntity;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.hibernate.LockMode;
import org.hibernate.Session;

/** What the way between the sites of a lane carries, as it was measured last. */
public final class Links {

  private final Db db;
  private final RunEngine runs;

  public Links(Db db, RunEngine runs) {
    this.db = db;
    this.runs = runs;
  }

  public LinkView view(String ref) {
    return db.tx(
        s -> {
          LaneEntity lane = Lanes.find(s, ref);
          LinkEntity link = s.find(LinkEntity.class, lane.id);
          LinkEntity known = link == null ? new LinkEntity() : link;
          return new LinkView(
              known.measuredAt,
              end(s.find(SiteEntity.class, lane.fromSiteId), known.from),
              end(s.find(SiteEntity.class, lane.toSiteId), known.to),
              known.there,
              known.back,
              Runs.open(s, LinkRun.KIND, lane.id).stream().map(r -> r.id).findFirst().orElse(""));
        });
  }

  private static LinkEndView end(SiteEntity site, LinkEntity.End end) {
    return new LinkEndView(site.name, end.answers, end.disks, end.delay, end.problem);
  }

  /**
   * Measures it; gives the run.
   *
   * @throws ProblemException if it is being measured already, or an end has no disks to copy
   */
  public String measure(String ref, String by) {
    String run =
        db.tx(
            s -> {
              LaneEntity lane = Lanes.find(s, ref);
              copies(s.find(SiteEntity.class, lane.fromSiteId));
              copies(s.find(SiteEntity.class, lane.toSiteId));
              // Of two at once the second waits here, and sees the first one's run.
              s.lock(lane, LockMode.PESSIMISTIC_WRITE);
              for (RunEntity open : Runs.open(s, LinkRun.KIND, lane.id)) {
                throw ProblemException.conflict(
                    "link-measured-now",
                    "the link of lane " + lane.name + " is being measured",
                    Remedy.of("wait for its end", Action.RUN_SHOW, open.id));
              }
              return runs.start(
                  s,
                  new RunEngine.Start(
                      LinkRun.KIND,
                      "Measuring the link of lane " + lane.name,
                      new Subject("lane", lane.id, lane.name),
                      null,
                      Map.of("from", lane.fromSiteId, "to", lane.toSiteId),
                      List.of(),
                      by));
            });
    runs.wake(run);
    return run;
  }

  private static void copies(SiteEntity site) {
    if (site.kind.looksOnly()) {
      throw ProblemException.invalid(
          "look-only",
          "site " + site.name + " is read only: no disk is copied from or to it",
          "choose a lane whose sites both take copies");
    }
  }

  /** Ends that could not be reached when the link was measured last. */
  static List<Finding> findings(Session s, LaneEntity lane) {
    LinkEntity link = s.find(LinkEntity.class, lane.id);
    List<Finding> found = new ArrayList<>();
    if (link != null) {
      for (LinkEntity.End end : List.of(link.from, link.to)) {
        if (!end.problem.isEmpty()) {
          found.add(
              new Finding(
                  Code.LINK_CLOSED,
                  lane.name,
                  end.problem
                      + " (measured "
                      + link.measuredAt.truncatedTo(ChronoUnit.SECONDS)
                      + ")",
                  Remedy.of("open the way there and measure again", Action.LANE_LINK, lane.name),
                  Who.SITE_OWNER));
        }
      }
    }
    return found;
  }
}
