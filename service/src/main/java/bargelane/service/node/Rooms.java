package bargelane.service.node;

import bargelane.service.account.Accounts;
import bargelane.service.account.Audit;
import bargelane.service.account.Tokens;
import bargelane.service.adopt.AdoptApi;
import bargelane.service.adopt.Adoption;
import bargelane.service.approval.ApprovalApi;
import bargelane.service.approval.Approvals;
import bargelane.service.assess.AssessApi;
import bargelane.service.assess.AssessmentReport;
import bargelane.service.assess.Assessments;
import bargelane.service.assess.Comparisons;
import bargelane.service.assess.CostRows;
import bargelane.service.assess.FitnessRules;
import bargelane.service.assess.PriceBooks;
import bargelane.service.assess.Rows;
import bargelane.service.assess.SizeChoices;
import bargelane.service.assess.WhatIfs;
import bargelane.service.connection.ConnectionApi;
import bargelane.service.connection.ConnectionLists;
import bargelane.service.connection.Connections;
import bargelane.service.estate.EstateApi;
import bargelane.service.estate.EstateRooms;
import bargelane.service.estate.Estates;
import bargelane.service.event.Events;
import bargelane.service.guest.AgentDesk;
import bargelane.service.guest.AgentListener;
import bargelane.service.guest.Agents;
import bargelane.service.guest.GuestApi;
import bargelane.service.guest.GuestScans;
import bargelane.service.guest.GuestSink;
import bargelane.service.guest.GuestsOfSite;
import bargelane.service.guest.Servers;
import bargelane.service.guest.Surveying;
import bargelane.service.http.AccessApi;
import bargelane.service.http.AccountApi;
import bargelane.service.http.Endpoints;
import bargelane.service.lane.LaneApi;
import bargelane.service.lane.Lanes;
import bargelane.service.lane.LinkRun;
import bargelane.service.lane.Links;
import bargelane.service.machine.LabelRules;
import bargelane.service.machine.MachineApi;
import bargelane.service.machine.MachineLists;
import bargelane.service.machine.Machines;
import bargelane.service.machine.MachinesOfSite;
import bargelane.service.machine.ScanRun;
import bargelane.service.machine.ScanSchedule;
import bargelane.service.machine.Scans;
import bargelane.service.move.Consoles;
import bargelane.service.move.Dossiers;
import bargelane.service.move.MoveApi;
import bargelane.service.move.MoveDesk;
import bargelane.service.move.Probes;
import bargelane.service.move.RefitWords;
import bargelane.service.move.WaveRuns;
import bargelane.service.overview.NodesPage;
import bargelane.service.overview.OverviewApi;
import bargelane.service.overview.OverviewPage;
import bargelane.service.overview.WavePages;
import bargelane.service.plan.AddressLists;
import bargelane.service.plan.LanePlanApi;
import bargelane.service.plan.LanePlans;
import bargelane.service.plan.WaveSizes;
import bargelane.service.plan.Waves;
import bargelane.service.platform.Db;
import bargelane.service.platform.Settings;
import bargelane.service.platform.Upkeep;
import bargelane.service.provider.ProviderApi;
import bargelane.service.provider.ProviderSignIn;
import bargelane.service.provider.Providers;
import bargelane.service.replication.Leases;
import bargelane.service.replication.OwnDesk;
import bargelane.service.replication.PassDays;
import bargelane.service.replication.PassRun;
import bargelane.service.replication.Passes;
import bargelane.service.replication.ReplicationApi;
import bargelane.service.replication.ReplicationViews;
import bargelane.service.replication.ScrubRun;
import bargelane.service.replication.Scrubs;
import bargelane.service.replication.Services;
import bargelane.service.replication.TimetableTask;
import bargelane.service.replication.Timetables;
import bargelane.service.replication.Tugs;
import bargelane.service.run.RunApi;
import bargelane.service.run.RunEngine;
import bargelane.service.run.Runs;
import bargelane.service.site.Credentials;
import bargelane.service.site.Ledger;
import bargelane.service.site.Leftovers;
import bargelane.service.site.SiteApi;
import bargelane.service.site.SiteTenant;
import bargelane.service.site.Sites;
import bargelane.service.site.Vault;
import bargelane.service.usage.UsageApi;
import bargelane.service.usage.UsageLists;
import bargelane.service.usage.UsageMonths;
import bargelane.service.usage.UsageReading;
import bargelane.service.usage.UsageTask;
import bargelane.service.usage.Usages;
import com.github.kagkarlsson.scheduler.task.helper.RecurringTask;
import com.github.kagkarlsson.scheduler.task.helper.Tasks;
import com.github.kagkarlsson.scheduler.task.schedule.FixedDelay;
import java.io.IOException;
import java.nio.file.Path;
import java.time.Clock;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Stream;

/** The rooms of the service, each with what it needs of those above it. */
final class Rooms {

  /** Endpoints, room by room. */
  final List<Endpoints.Room> apis = new ArrayList<>();

  /** Tasks of the scheduler that are begun again and again. */
  final List<RecurringTask<?>> recurring = new ArrayList<>();

  final RunEngine runs;
  final TimetableTask timetable;

  /** Where a tug of this process gets its work. */
  final OwnDesk desk;

  final ScanSchedule schedule;
  final Tokens tokens;
  final Accounts accounts;
  final Audit audit;
  final Agents agents;
  final AgentListener listener;

  private final Db db;
  private final Events events;
  private final Clock clock;
  private final Sites sites;
  private final Ledger ledger;
  private final SizeChoices sizes;
  private final LabelRules labels;
  private final Lanes lanes;

  /** What each room deletes of its past: passes before the runs that they are of. */
  static final List<String> TIDY =
      Stream.of(List.of(Events.TIDY), List.of(Passes.TIDY), Runs.TIDY, Tokens.TIDY)
          .flatMap(List::stream)
          .toList();

  /** What each room deletes of what people look back at. */
  static final List<String> PAST =
      List.of(Events.PAST, Machines.PAST, Connections.PAST, PassDays.PAST);

  Rooms(
      Db db,
      Events events,
      Clock clock,
      Path home,
      String node,
      Pace pace,
      AgentListener.Where where,
      BargeLane.Kept kept)
      throws IOException {
    this.db = db;
    this.events = events;
    this.clock = clock;
    tokens = new Tokens(db, events, clock);
    accounts = new Accounts(db, tokens, clock);
    apis.add(new AccessApi(db, accounts, tokens, events, clock));
    audit = new Audit(db, clock);
    apis.add(new AccountApi(accounts, tokens, audit));
    runs = new RunEngine(db, events, clock);
    apis.add(new RunApi(new Runs(db), runs));

    Vault vault = Vault.of(home.resolve("master-key"), db);
    Providers providers = new Providers(db, vault, accounts, events);
    apis.add(
        new ProviderApi(providers, new ProviderSignIn(providers, vault, accounts, audit, clock)));
    Credentials credentials = new Credentials(db, vault, events, clock);
    sites = new Sites(db, credentials, events, clock);
    ledger = new Ledger(db, sites, clock, Settings.installation(db), node);
    ledger.open();
    apis.add(new SiteApi(sites, credentials, new Leftovers(db, sites, ledger, events)));
    recurring.add(every("sweep", Duration.ofSeconds(5), ledger::sweep));
    recurring.add(
        every(
            "tidy", Duration.ofHours(1), new Upkeep(db, clock, TIDY, PAST, kept.history())::tidy));
    kept.audit()
        .ifPresent(
            time -> recurring.add(every("audit-cut", Duration.ofHours(1), () -> audit.cut(time))));

    Scans scans = new Scans(db, sites, clock);
    labels = new LabelRules(db, events, clock);
    schedule = new ScanSchedule(db, runs, events, clock);
    apis.add(
        new MachineApi(
            sites,
            scans,
            schedule,
            new Machines(db, events),
            new MachineLists(db, events, clock),
            labels,
            new Runs(db)));

    GuestSink sink = new KeptByRooms();
    Surveying surveying = new Surveying(db, sink, clock);
    agents = new Agents(db, events, clock);
    listener =
        new AgentListener(home, where, new AgentDesk(db, events, runs, surveying, sink, clock));
    apis.add(new GuestApi(new Servers(db, events, clock), agents, listener));

    UsageReading usage = new UsageReading(db, sites, surveying, clock);
    recurring.add(new UsageTask(db, sites, usage).task());
    recurring.add(new UsageMonths(db, clock).task());
    apis.add(new UsageApi(new Usages(db, clock), new UsageLists(db, events, clock)));

    Connections connections = new Connections(db, sites, clock);
    apis.add(new ConnectionApi(connections, new ConnectionLists(db, events, clock)));
    runs.add(
        new ScanRun(
            scans,
            new GuestScans(db, sites, scans, surveying, clock),
            List.of(usage.step(), connections.step())));

    Assessments assessments = new Assessments(db, events, clock);
    sizes = new SizeChoices(db, new WaveSizes(), events, clock);
    apis.add(
        new AssessApi(
            assessments,
            new Rows(db),
            new Comparisons(db),
            sizes,
            new WhatIfs(db, assessments),
            new CostRows(db),
            new AssessmentReport(db),
            new PriceBooks(db, events, clock),
            new FitnessRules(db, events, clock)));

    lanes = new Lanes(db, events);
    runs.add(new LinkRun(db, sites, ledger, events, clock));
    apis.add(new LaneApi(lanes, new Links(db, runs), new Runs(db)));
    LanePlans lanePlans = new LanePlans(db);
    apis.add(new LanePlanApi(lanePlans, new AddressLists(db, lanes, lanePlans)));
    for (SiteTenant tenant :
        List.of(lanes, assessments, new GuestsOfSite(), new MachinesOfSite(clock), connections)) {
      sites.add(tenant);
    }
    timetable = new TimetableTask(db, runs, clock);
    desk = moves(pace);
  }

  private OwnDesk moves(Pace pace) {
    Passes passes = new Passes(db, sites, ledger, events, runs, pace.lease(), clock);
    Services services = new Services(db, clock, events, sites, ledger, runs, passes);
    runs.add(new PassRun(services));
    runs.add(new ScrubRun(services));
    recurring.add(every("scrub", Duration.ofMinutes(10), new Scrubs(db, runs, clock)::due));
    Leases leases = new Leases(passes);
    Tugs tugs = new Tugs(db, clock);
    Timetables timetables = new Timetables(db, pace.shortestPeriod(), timetable::again);
    apis.add(new ReplicationApi(timetables, leases, tugs));
    Waves waves = new Waves(services, sizes);
    apis.add(
        new EstateApi(
            new Estates(
                db,
                new EstateRooms(sites, schedule, timetables, labels, lanes, waves),
                events,
                clock)));
    apis.add(new ApprovalApi(new Approvals(services, waves)));
    WaveRuns.all(services).forEach(runs::add);
    Consoles consoles = new Consoles(db, clock);
    apis.add(
        new MoveApi(
            new MoveDesk(services, waves),
            new RefitWords(services, waves),
            new Probes(services, waves),
            new Dossiers(db),
            consoles));
    ReplicationViews replication = new ReplicationViews(db, clock);
    events
        .figures()
        .from(
            () ->
                Stream.concat(replication.moving().stream(), consoles.changing().stream())
                    .toList());
    WavePages pages = new WavePages(db, waves, replication, clock);
    apis.add(new AdoptApi(new Adoption(services)));
    apis.add(
        new OverviewApi(
            new OverviewPage(db, events, pages, clock),
            pages,
            waves,
            replication,
            new PassDays(db),
            new NodesPage(db, clock)));
    return new OwnDesk(leases, tugs);
  }

  private static RecurringTask<Void> every(String name, Duration pause, Runnable work) {
    return Tasks.recurring(name, FixedDelay.of(pause)).execute((instance, context) -> work.run());
  }
}
