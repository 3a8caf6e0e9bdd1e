package bargelane.service;

import bargelane.api.*;
import bargelane.service.agent.AgentListener;
import bargelane.service.agent.Agents;
import bargelane.service.connection.Connections;
import bargelane.service.csv.Lists;
import bargelane.service.db.Db;
import bargelane.service.http.Endpoints;
import bargelane.service.run.RunEngine;
import bargelane.service.run.Runs;
import bargelane.service.site.Credentials;
import bargelane.service.site.LabelRules;
import bargelane.service.site.Ledger;
import bargelane.service.site.Machines;
import bargelane.service.site.ScanSchedule;
import bargelane.service.site.Scans;
import bargelane.service.site.Servers;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import bargelane.service.usage.Usages;
import java.util.ArrayList;
import java.util.List;

/** Endpoints of what there is: sites, credentials, machines, use and connections. */
record DiscoveryApi(
    Db db,
    Sites sites,
    Credentials credentials,
    Servers servers,
    Agents agents,
    AgentListener listener,
    Lists lists,
    Machines machines,
    LabelRules labelRules,
    Scans scans,
    ScanSchedule schedule,
    Usages usages,
    Connections connections,
    Runs runs,
    RunEngine engine,
    Ledger ledger) {

  void add(Endpoints e) {
    credentials(e);
    sites(e);
    machines(e);
  }

  private void credentials(Endpoints e) {
    e.add(
        "GET",
        "/credentials",
        200,
        "List credentials, without their secrets",
        Void.class,
        CredentialView.class,
        true,
        r -> credentials.list());
    e.add(
        "POST",
        "/credentials",
        201,
        "Store a credential",
        CredentialAdd.class,
        CredentialView.class,
        false,
        r -> credentials.add(r.body(CredentialAdd.class), r.caller().account()));
    e.add(
        "GET",
        "/credentials/{credential}",
        200,
        "One credential, without its secret",
        Void.class,
        CredentialView.class,
        false,
        r -> credentials.view(r.path("credential")));
    e.add(
        "PUT",
        "/credentials/{credential}",
        200,
        "Replace a credential's secret",
        CredentialEdit.class,
        CredentialView.class,
        false,
        r ->
            credentials.edit(
                r.path("credential"), r.body(CredentialEdit.class), r.caller().account()));
    e.add(
        "DELETE",
        "/credentials/{credential}",
        204,
        "Remove a credential that no site uses",
        Void.class,
        Void.class,
        false,
        r -> {
          credentials.remove(r.path("credential"), r.caller().account());
          return null;
        });
  }

  private void sites(Endpoints e) {
    e.add("GET", "/sites", 200, "List sites", Void.class, SiteView.class, true, r -> sites.list());
    e.add(
        "POST",
        "/sites",
        201,
        "Add a site",
        SiteAdd.class,
        SiteView.class,
        false,
        r -> sites.add(r.body(SiteAdd.class)));
    e.add(
        "GET",
        "/sites/{site}",
        200,
        "One site",
        Void.class,
        SiteView.class,
        false,
        r -> sites.view(r.path("site")));
    e.add(
        "DELETE",
        "/sites/{site}",
        204,
        "Remove a site",
        Void.class,
        Void.class,
        false,
        r -> {
          sites.remove(r.path("site"));
          return null;
        });
    e.add(
        "PUT",
        "/sites/{site}/credentials",
        200,
        "Have a site try these credentials, in this order",
        SiteCredentials.class,
        SiteView.class,
        false,
        r ->
            sites.credentials(r.path("site"), r.body(SiteCredentials.class), r.caller().account()));
    e.add(
        "GET",
        "/sites/{site}/servers",
        200,
        "Servers of a site, those with a problem first",
        Void.class,
        Page.class,
        false,
        r -> servers.list(r.path("site"), r.number("page", 0), r.number("size", 50)));
    e.add(
        "POST",
        "/sites/{site}/servers",
        200,
        "Add servers to a site: all of them or, if one is wrong, none",
        ServersAdd.class,
        ImportResult.class,
        false,
        r -> servers.add(r.path("site"), r.body(ServersAdd.class), r.caller().account()));
    e.add(
        "PUT",
        "/sites/{site}/servers/{server}",
        200,
        "Say which host keys a server may have",
        ServerEdit.class,
        ServerView.class,
        false,
        r ->
            servers.trust(
                r.path("site"),
                r.path("server"),
                r.body(ServerEdit.class).hostKey(),
                r.caller().account()));
    e.add(
        "DELETE",
        "/sites/{site}/servers/{server}",
        204,
        "Take a server from a site",
        Void.class,
        Void.class,
        false,
        r -> {
          servers.remove(r.path("site"), r.path("server"), r.caller().account());
          return null;
        });
    e.add(
        "GET",
        "/sites/{site}/agents",
        200,
        "Agents of a site, the silent ones first",
        Void.class,
        AgentView.class,
        true,
        r -> agents.list(r.path("site")));
    e.add(
        "POST",
        "/sites/{site}/agents/keys",
        201,
        "Make a key that lets one agent enrol, once",
        AgentKeyAsk.class,
        AgentKeyView.class,
        false,
        r ->
            agents.key(
                r.path("site"), r.body(AgentKeyAsk.class), listener::line, r.caller().account()));
    e.add(
        "DELETE",
        "/sites/{site}/agents/{agent}",
        204,
        "Take an agent from a site",
        Void.class,
        Void.class,
        false,
        r -> {
          agents.remove(r.path("site"), r.path("agent"), r.caller().account());
          return null;
        });
    e.add(
        "POST",
        "/sites/{site}/check",
        200,
        "Test reach, permissions, clock and version",
        Void.class,
        SiteView.class,
        false,
        r -> sites.check(r.path("site")));
    e.add(
        "POST",
        "/sites/{site}/scan",
        202,
        "Read the inventory",
        Void.class,
        RunView.class,
        false,
        r -> scan(r));
    e.add(
        "PUT",
        "/sites/{site}/schedule",
        200,
        "Have a site scanned by itself",
        SiteSchedule.class,
        SiteView.class,
        false,
        r -> {
          schedule.set(r.path("site"), r.body(SiteSchedule.class).cron(), r.caller().account());
          return sites.view(r.path("site"));
        });
    e.add(
        "GET",
        "/sites/{site}/scans",
        200,
        "Scans of a site, newest first",
        Void.class,
        RunView.class,
        true,
        r -> runs.scans(sites.view(r.path("site")).id(), r.number("size", 20)));
    e.add(
        "GET",
        "/sites/{site}/changes",
        200,
        "What scans of a site found different, newest first",
        Void.class,
        Page.class,
        false,
        r -> scans.changes(r.path("site"), "", r.number("page", 0), r.number("size", 50)));
    e.add(
        "GET",
        "/sites/{site}/leftovers",
        200,
        "Things of ours at a site",
        Void.class,
        LeftoverView.class,
        true,
        r -> leftovers(r.path("site")));
  }

  private void machines(Endpoints e) {
    e.add(
        "GET",
        "/machines",
        200,
        "List machines",
        Void.class,
        Page.class,
        false,
        r ->
            machines.list(
                r.query("filter"),
                r.query("sort").isEmpty() ? "name" : r.query("sort"),
                r.number("page", 0),
                r.number("size", 50)));
    e.add(
        "POST",
        "/machines/labels",
        200,
        "Give labels to machines by hand, or take such away",
        LabelEdit.class,
        LabelResult.class,
        false,
        r -> machines.label(r.body(LabelEdit.class), r.caller().account()));
    e.add(
        "POST",
        "/machines/labels/list",
        200,
        "Give labels to machines by hand, from a list",
        CsvImport.class,
        ImportResult.class,
        false,
        r -> labelRules.list(r.body(CsvImport.class), r.caller().account()));
    e.add(
        "GET",
        "/label-rules",
        200,
        "Rules that give labels, the one that counts first",
        Void.class,
        LabelRuleView.class,
        true,
        r -> labelRules.list());
    e.add(
        "POST",
        "/label-rules",
        201,
        "Give a label to every machine that a filter chooses, now and later",
        LabelRuleAdd.class,
        LabelRuleView.class,
        false,
        r -> labelRules.add(r.body(LabelRuleAdd.class), r.caller().account()));
    e.add(
        "DELETE",
        "/label-rules/{rule}",
        204,
        "Remove a rule and the labels that came from it",
        Void.class,
        Void.class,
        false,
        r -> {
          labelRules.remove(r.path("rule"), r.caller().account());
          return null;
        });
    e.add(
        "POST",
        "/sites/{site}/machines",
        200,
        "Take over a list of machines, whole or not at all",
        CsvImport.class,
        ImportResult.class,
        false,
        r -> lists.machines(r.path("site"), r.body(CsvImport.class), r.caller().account()));
    e.add(
        "POST",
        "/sites/{site}/connections",
        200,
        "Take over a list of connections in place of the site's last one",
        CsvImport.class,
        ImportResult.class,
        false,
        r -> lists.connections(r.path("site"), r.body(CsvImport.class), r.caller().account()));
    e.add(
        "POST",
        "/usage",
        200,
        "Take over a list of what machines used, whole or not at all",
        CsvImport.class,
        ImportResult.class,
        false,
        r -> lists.usage(r.body(CsvImport.class), r.caller().account()));
    e.add(
        "GET",
        "/machines/{machine}",
        200,
        "One machine",
        Void.class,
        MachineView.class,
        false,
        r -> machines.view(r.path("machine")));
    e.add(
        "GET",
        "/machines/{machine}/facts",
        200,
        "What each source tells of a machine, and when it did",
        Void.class,
        FactView.class,
        true,
        r -> machines.facts(r.path("machine")));
    e.add(
        "GET",
        "/machines/{machine}/surveys",
        200,
        "What was read from inside a machine, newest first",
        Void.class,
        SurveyView.class,
        true,
        r -> machines.surveys(r.path("machine")));
    e.add(
        "GET",
        "/machines/{machine}/changes",
        200,
        "What scans found different about a machine, newest first",
        Void.class,
        Page.class,
        false,
        r -> scans.changes("", r.path("machine"), r.number("page", 0), r.number("size", 50)));
    e.add(
        "GET",
        "/machines/{machine}/usage",
        200,
        "What a machine used over a window of time",
        Void.class,
        UsageView.class,
        false,
        r ->
            usages.view(
                r.path("machine"),
                r.query("from"),
                r.query("to"),
                r.query("percentile"),
                r.number("points", 0)));
    e.add(
        "GET",
        "/connections",
        200,
        "Who talks to whom",
        Void.class,
        Page.class,
        false,
        r ->
            connections.list(
                r.query("machine"),
                r.query("filter"),
                r.query("sort").isEmpty() ? "-bytes" : r.query("sort"),
                r.number("page", 0),
                r.number("size", 50)));
  }

  private RunView scan(Endpoints.Request r) {
    String id =
        db.tx(
            s ->
                ScanSchedule.start(s, engine, Sites.find(s, r.path("site")), r.caller().account()));
    engine.wake(id);
    return runs.view(id);
  }

  private List<LeftoverView> leftovers(String ref) {
    SiteEntity site = db.tx(s -> Sites.find(s, ref));
    List<LeftoverView> views = new ArrayList<>();
    sites
        .driver(site.id)
        .target()
        .owned(ledger.ownerPrefix())
        .forEach(
            o ->
                views.add(
                    new LeftoverView(
                        site.name,
                        o.kind(),
                        o.name(),
                        o.owner(),
                        ledger.recorded(site.id, o.kind(), o.name()))));
    return views;
  }
}
