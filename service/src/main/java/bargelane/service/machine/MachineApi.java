package bargelane.service.machine;

import bargelane.api.ChangeView;
import bargelane.api.CsvImport;
import bargelane.api.FactView;
import bargelane.api.ImportResult;
import bargelane.api.LabelEdit;
import bargelane.api.LabelResult;
import bargelane.api.LabelRuleAdd;
import bargelane.api.LabelRuleView;
import bargelane.api.MachineView;
import bargelane.api.RunView;
import bargelane.api.SiteSchedule;
import bargelane.api.SiteView;
import bargelane.api.SurveyView;
import bargelane.core.account.Need;
import bargelane.service.http.Endpoints;
import bargelane.service.http.Reach;
import bargelane.service.run.Runs;
import bargelane.service.site.Sites;

/** Endpoints of scans, machines and labels. */
public record MachineApi(
    Sites sites,
    Scans scans,
    ScanSchedule schedule,
    Machines machines,
    MachineLists lists,
    LabelRules labelRules,
    Runs runs)
    implements Endpoints.Room {

  @Override
  public void add(Endpoints e) {
    scans(e);
    machines(e);
    labels(e);
  }

  private void scans(Endpoints e) {
    e.post("/sites/{site}/scan", "Read the inventory", Need.PLAN, Need.KEEP)
        .begins(RunView.class, r -> runs.view(schedule.now(r.path("site"), r.by())));
    e.put("/sites/{site}/schedule", "Scan a site on schedule", Need.PLAN, Need.KEEP)
        .changes(r -> new SiteSchedule(sites.view(r.path("site")).schedule()))
        .takes(SiteSchedule.class)
        .gives(
            SiteView.class,
            (r, b) -> {
              schedule.set(r.path("site"), b.cron(), r.by());
              return sites.view(r.path("site"));
            });
    e.get("/sites/{site}/scans", "Scans of a site, newest first", Need.READ)
        .first(20)
        .lists(
            RunView.class,
            r -> runs.ofKind(ScanRun.KIND, sites.view(r.path("site")).id(), r.number("size")));
    e.get("/sites/{site}/changes", "What scans of a site found different, newest first", Need.READ)
        .paged()
        .pages(
            ChangeView.class,
            r -> scans.changes(r.path("site"), "", r.number("page"), r.number("size")));
    e.post("/sites/{site}/machines", "Import a list of machines, whole or not at all", Need.PLAN)
        .longest(Endpoints.LIST_BODY)
        .heavy()
        .takes(CsvImport.class)
        .gives(ImportResult.class, (r, b) -> lists.machines(r.path("site"), b, r.by()));
  }

  private void machines(Endpoints e) {
    e.get("/machines", "List machines", Need.READ)
        .limited(Reach.NARROWED)
        .query("filter", "", "as docs/filters.md describes; all if left out")
        .query("sort", "name", "name, os, cpus, memory, disk or firstSeen; -name descends")
        .paged()
        .pages(
            MachineView.class,
            r ->
                machines.list(
                    r.query("filter"),
                    r.machines(),
                    r.query("sort"),
                    r.number("page"),
                    r.number("size")));
    e.get("/machines/{machine}", "One machine", Need.READ)
        .limited(Reach.MACHINE)
        .gives(MachineView.class, r -> machines.view(r.path("machine")));
    e.get("/machines/{machine}/facts", "What each source says of a machine, and when", Need.READ)
        .limited(Reach.MACHINE)
        .lists(FactView.class, r -> machines.facts(r.path("machine")));
    e.get(
            "/machines/{machine}/surveys",
            "What was read from inside a machine, newest first",
            Need.READ)
        .limited(Reach.MACHINE)
        .lists(SurveyView.class, r -> machines.surveys(r.path("machine")));
    e.get(
            "/machines/{machine}/changes",
            "What scans found different about a machine, newest first",
            Need.READ)
        .limited(Reach.MACHINE)
        .paged()
        .pages(
            ChangeView.class,
            r -> scans.changes("", r.path("machine"), r.number("page"), r.number("size")));
  }

  private void labels(Endpoints e) {
    e.post("/machines/labels", "Give labels to machines by hand, or take such away", Need.PLAN)
        .takes(LabelEdit.class)
        .gives(LabelResult.class, (r, b) -> machines.label(b, r.by()));
    e.post("/machines/labels/list", "Give labels to machines by hand, from a list", Need.PLAN)
        .longest(Endpoints.LIST_BODY)
        .heavy()
        .takes(CsvImport.class)
        .gives(ImportResult.class, (r, b) -> labelRules.list(b, r.by()));
    e.get("/label-rules", "Rules that give labels, the one that counts first", Need.READ)
        .lists(LabelRuleView.class, r -> labelRules.list());
    e.post(
            "/label-rules",
            "Give a label to every machine that a filter chooses, now and later",
            Need.PLAN)
        .takes(LabelRuleAdd.class)
        .creates(LabelRuleView.class, (r, b) -> labelRules.add(b, r.by()));
    e.delete("/label-rules/{rule}", "Remove a rule and the labels that came from it", Need.PLAN)
        .changes(r -> labelRules.view(r.path("rule")))
        .does(r -> labelRules.remove(r.path("rule"), r.by()));
  }
}
