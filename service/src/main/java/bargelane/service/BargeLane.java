package bargelane.service;

import bargelane.service.account.AccountEntity;
import bargelane.service.account.Accounts;
import bargelane.service.account.SettingEntity;
import bargelane.service.account.TokenEntity;
import bargelane.service.agent.AgentDesk;
import bargelane.service.agent.AgentEntity;
import bargelane.service.agent.AgentKeyEntity;
import bargelane.service.agent.AgentListener;
import bargelane.service.agent.Agents;
import bargelane.service.assess.AssessmentEntity;
import bargelane.service.assess.AssessmentReport;
import bargelane.service.assess.Assessments;
import bargelane.service.assess.Comparisons;
import bargelane.service.assess.CostRows;
import bargelane.service.assess.FitnessRules;
import bargelane.service.assess.FitnessRulesEntity;
import bargelane.service.assess.PriceBookEntity;
import bargelane.service.assess.PriceBooks;
import bargelane.service.assess.RevisionEntity;
import bargelane.service.assess.Rows;
import bargelane.service.assess.SizeChoiceEntity;
import bargelane.service.assess.SizeChoices;
import bargelane.service.assess.WhatIfs;
import bargelane.service.connection.Connections;
import bargelane.service.csv.Lists;
import bargelane.service.db.Db;
import bargelane.service.db.Ids;
import bargelane.service.db.Upkeep;
import bargelane.service.event.EventEntity;
import bargelane.service.event.Events;
import bargelane.service.http.AnsweredEntity;
import bargelane.service.http.HttpApi;
import bargelane.service.http.ProblemException;
import bargelane.service.lane.LaneEntity;
import bargelane.service.lane.Lanes;
import bargelane.service.pass.PassEntity;
import bargelane.service.pass.PassRun;
import bargelane.service.pass.Passes;
import bargelane.service.pass.TimetableTask;
import bargelane.service.pass.Tugs;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunEntity;
import bargelane.service.run.Runs;
import bargelane.service.run.StepEntity;
import bargelane.service.site.ChangeEntity;
import bargelane.service.site.CredentialEntity;
import bargelane.service.site.Credentials;
import bargelane.service.site.LabelRuleEntity;
import bargelane.service.site.LabelRules;
import bargelane.service.site.Ledger;
import bargelane.service.site.MachineAddressEntity;
import bargelane.service.site.MachineEntity;
import bargelane.service.site.Machines;
import bargelane.service.site.ScanRun;
import bargelane.service.site.ScanSchedule;
import bargelane.service.site.Scans;
import bargelane.service.site.ServerEntity;
import bargelane.service.site.Servers;
import bargelane.service.site.SightingEntity;
import bargelane.service.site.SiteCredentialEntity;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.SiteObjectEntity;
import bargelane.service.site.Sites;
import bargelane.service.site.Surveying;
import bargelane.service.site.Vault;
import bargelane.service.usage.UsageCounterEntity;
import bargelane.service.usage.UsageMonths;
import bargelane.service.usage.UsageReading;
import bargelane.service.usage.UsageTask;
import bargelane.service.usage.Usages;
import bargelane.service.wave.DossierEntity;
import bargelane.service.wave.LegEntity;
import bargelane.service.wave.MemberEntity;
import bargelane.service.wave.PointEntity;
import bargelane.service.wave.ReplicaEntity;
import bargelane.service.wave.TimetableEntity;
import bargelane.service.wave.TowEntity;
import bargelane.service.wave.WaveEntity;
import bargelane.service.wave.WaveRuns;
import bargelane.service.wave.WaveViews;
import bargelane.service.wave.Waves;
import bargelane.tug.HttpLeaseDesk;
import bargelane.tug.Tug;
import com.github.kagkarlsson.scheduler.Scheduler;
import com.github.kagkarlsson.scheduler.SchedulerName;
import com.github.kagkarlsson.scheduler.task.helper.RecurringTask;
import com.github.kagkarlsson.scheduler.task.helper.Tasks;
import com.github.kagkarlsson.scheduler.task.schedule.FixedDelay;
import io.micrometer.core.instrument.binder.jvm.JvmMemoryMetrics;
import io.micrometer.prometheusmetrics.PrometheusConfig;
import io.micrometer.prometheusmetrics.PrometheusMeterRegistry;
import java.io.Closeable;
import java.io.IOException;
import java.net.URI;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Clock;
import java.time.Duration;
import java.util.List;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/** One node of the service, put together. */
public final class BargeLane implements Closeable {

  /** How a node is started. {@code node} names it through its restarts. */
  public record Options(
      Path home,
      int port,
      String databaseUrl,
      String databaseUser,
      String databasePassword,
      String node,
      boolean withTug,
      AgentListener.Where agents) {}

  private static final Logger log = LoggerFactory.getLogger(BargeLane.class);

  /** What of this service Hibernate keeps. */
  public static final List<Class<?>> ENTITIES =
      List.of(
          AccountEntity.class,
          TokenEntity.class,
          CredentialEntity.class,
          SiteCredentialEntity.class,
          ServerEntity.class,
          SightingEntity.class,
          AgentEntity.class,
          LabelRuleEntity.class,
          AgentKeyEntity.class,
          SiteEntity.class,
          MachineEntity.class,
          MachineAddressEntity.class,
          ChangeEntity.class,
          UsageCounterEntity.class,
          SiteObjectEntity.class,
          AssessmentEntity.class,
          RevisionEntity.class,
          SizeChoiceEntity.class,
          PriceBookEntity.class,
          FitnessRulesEntity.class,
          LaneEntity.class,
          TimetableEntity.class,
          WaveEntity.class,
          TowEntity.class,
          MemberEntity.class,
          LegEntity.class,
          ReplicaEntity.class,
          PointEntity.class,
          DossierEntity.class,
          RunEntity.class,
          StepEntity.class,
          PassEntity.class,
          EventEntity.class,
          AnsweredEntity.class,
          SettingEntity.class);

  private final Db db;
  private final Events events;
  private final Scheduler scheduler;
  private final HttpApi http;
  private final AgentListener listener;
  private final Tug tug;

  public BargeLane(Options o, Clock clock) throws IOException {
    db = new Db(o.databaseUrl(), o.databaseUser(), o.databasePassword(), ENTITIES);
    events = new Events(db, clock, o.databaseUrl(), o.databaseUser(), o.databasePassword());
    Accounts accounts = new Accounts(db, clock);
    Credentials credentials =
        new Credentials(db, new Vault(o.home().resolve("master-key")), events, clock);
    Sites sites = new Sites(db, credentials, events, clock);
    Ledger ledger = new Ledger(db, sites, clock, installation());
    RunEngine runs = new RunEngine(db, events, clock);
    Passes passes = new Passes(db, sites, ledger, events, runs, clock);
    Services services = new Services(db, clock, events, sites, ledger, runs, passes);
    TimetableTask timetable = new TimetableTask(db, runs, clock);
    Scans scans = new Scans(db, sites, clock);
    Connections connections = new Connections(db, sites, clock);
    Surveying surveying = new Surveying(db, clock);
    UsageReading usage = new UsageReading(db, sites, surveying, clock);
    ScanSchedule schedule = new ScanSchedule(db, runs, events, clock);
    runs.add(new ScanRun(db, sites, scans, surveying, usage, connections, clock));
    runs.add(new PassRun(services));
    WaveRuns.all(services, timetable::watch).forEach(runs::add);
    WaveViews views = new WaveViews(db, events, clock);
    SizeChoices sizes = new SizeChoices(db, events, clock);
    Waves waves = new Waves(services, views, sizes);

    RecurringTask<Void> sweep =
        Tasks.recurring("sweep", FixedDelay.ofSeconds(5))
            .execute((instance, context) -> ledger.sweep());
    Upkeep upkeep = new Upkeep(db, clock);
    RecurringTask<Void> tidy =
        Tasks.recurring("tidy", FixedDelay.ofHours(1))
            .execute((instance, context) -> upkeep.tidy());
    // What this node was doing when it was killed is nobody else's: take it up at once.
    db.run(
        s ->
            s.createNativeMutationQuery(
                    "update scheduled_tasks set picked = false, picked_by = null, last_heartbeat = null where picked_by = ?1")
                .setParameter(1, o.node())
                .executeUpdate());
    scheduler =
        Scheduler.create(db.dataSource(), runs.task(), timetable.task(), schedule.task())
            .startTasks(
                sweep,
                tidy,
                new UsageTask(db, sites, usage).task(),
                new UsageMonths(db, clock).task())
            .schedulerName(new SchedulerName.Fixed(o.node()))
            .threads(12)
            .pollingInterval(Duration.ofMillis(200))
            .heartbeatInterval(Duration.ofSeconds(2))
            .missedHeartbeatsLimit(4)
            .enableImmediateExecution()
            .shutdownMaxWait(Duration.ofSeconds(5))
            .build();
    scheduler.start();
    runs.open(scheduler);
    timetable.open(scheduler);
    schedule.open(scheduler);

    PrometheusMeterRegistry meters = new PrometheusMeterRegistry(PrometheusConfig.DEFAULT);
    new JvmMemoryMetrics().bindTo(meters);
    Agents agents = new Agents(db, events, clock);
    listener = new AgentListener(o.home(), o.agents(), new AgentDesk(db, events, runs, clock));
    if (agents.wanted()) {
      try {
        listener.open();
      } catch (ProblemException e) {
        // Everything else works; agents keep what they see until they are listened to again.
        log.error("{}; {}", e.getMessage(), e.remedy());
      }
    }
    DiscoveryApi discovery =
        new DiscoveryApi(
            db,
            sites,
            credentials,
            new Servers(db, events, clock),
            agents,
            listener,
            new Lists(db, events, clock),
            new Machines(db, events),
            new LabelRules(db, events, clock),
            scans,
            schedule,
            new Usages(db, clock),
            connections,
            new Runs(db),
            runs,
            ledger);
    Assessments assessments = new Assessments(db, events, clock);
    AssessingApi assessing =
        new AssessingApi(
            assessments,
            new Rows(db),
            new Comparisons(db),
            sizes,
            new WhatIfs(db, assessments),
            new CostRows(db),
            new AssessmentReport(db),
            new PriceBooks(db, events, clock),
            new FitnessRules(db, events, clock));
    Api api =
        new Api(
            db,
            clock,
            accounts,
            discovery,
            assessing,
            new Lanes(db),
            waves,
            views,
            new Runs(db),
            passes,
            new Tugs(db, clock),
            events);
    http = new HttpApi(o.port(), api.endpoints(), accounts, events, db, clock, meters);
    firstAccount(o.home(), accounts);
    String address = "http://127.0.0.1:" + http.port();
    write(o.home().resolve("address"), address + "\n");
    tug =
        o.withTug()
            ? new Tug(
                o.node() + "-tug",
                new HttpLeaseDesk(
                    URI.create(address), Files.readString(o.home().resolve("token")).strip()),
                2,
                2)
            : null;
    log.info("Barge Lane serves at {}", address);
  }

  private String installation() {
    return db.tx(
        s -> {
          SettingEntity setting = s.find(SettingEntity.class, "installation");
          if (setting == null) {
            setting = new SettingEntity();
            setting.name = "installation";
            setting.value = Ids.next("in");
            s.persist(setting);
          }
          return setting.value;
        });
  }

  /**
   * The first start makes the account that everything begins with, and a token for programs of the
   * home's owner.
   */
  private static void firstAccount(Path home, Accounts accounts) throws IOException {
    Path signIn = home.resolve("sign-in");
    String password = Ids.secret().substring(0, 12);
    if (accounts.ensure("engineer", password)) {
      write(signIn, "account: engineer\npassword: " + password + "\n");
    }
    if (!Files.exists(home.resolve("token"))
        || accounts.caller(Files.readString(home.resolve("token")).strip()).isEmpty()) {
      write(home.resolve("token"), accounts.token("engineer") + "\n");
    }
  }

  /** Writes a file that only the service's user can read, whole or not at all. */
  private static void write(Path file, String content) throws IOException {
    Path fresh = file.resolveSibling(file.getFileName() + ".new");
    Files.deleteIfExists(fresh);
    Files.createFile(
        fresh, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
    Files.writeString(fresh, content);
    Files.move(
        fresh,
        file,
        java.nio.file.StandardCopyOption.ATOMIC_MOVE,
        java.nio.file.StandardCopyOption.REPLACE_EXISTING);
  }

  public int port() {
    return http.port();
  }

  @Override
  public void close() {
    if (tug != null) {
      tug.close();
    }
    http.close();
    listener.close();
    scheduler.stop();
    events.close();
    db.close();
  }
}
