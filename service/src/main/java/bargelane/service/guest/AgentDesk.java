package bargelane.service.guest;

import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.guest.Survey;
import bargelane.core.guest.SurveyException;
import bargelane.core.guest.SurveyReader;
import bargelane.core.site.Inventory.Usage;
import bargelane.service.event.Events;
import bargelane.service.machine.ScanRun;
import bargelane.service.machine.SightingEntity;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.run.RunEngine;
import bargelane.service.run.RunEntity;
import bargelane.service.run.Runs;
import bargelane.service.site.SiteEntity;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.hibernate.LockMode;
import org.hibernate.Session;

/**
 * What agents come with: a key to enrol, and reports. A report is taken over in one transaction
 * with the number of the newest look in it, so that what comes twice counts once.
 */
public final class AgentDesk {

  /** A look that is older can be no agent's: it keeps two weeks. */
  private static final Duration OLDEST = Duration.ofDays(31);

  private static final int LONGEST_NAME = 64;

  private final Db db;
  private final Events events;
  private final RunEngine runs;
  private final Surveying surveying;
  private final GuestSink sink;
  private final Clock clock;

  public AgentDesk(
      Db db, Events events, RunEngine runs, Surveying surveying, GuestSink sink, Clock clock) {
    this.db = db;
    this.events = events;
    this.runs = runs;
    this.surveying = surveying;
    this.sink = sink;
    this.clock = clock;
  }

  /**
   * Lets an agent in with its key. The same agent may come again with it, if the answer was lost;
   * another may not.
   *
   * @return the agent's id
   */
  String enrol(String body) {
    Map<String, String> told = new HashMap<>();
    List<String> lines = body.lines().toList();
    if (lines.isEmpty() || !lines.get(0).equals("format: bargelane/enrol/1")) {
      throw ProblemException.invalid(
          "enrolment-malformed", "this is not an enrolment of an agent", "paste the line again");
    }
    for (String line : lines) {
      int blank = line.indexOf(' ');
      if (blank > 0) {
        told.put(line.substring(0, blank), line.substring(blank + 1).strip());
      }
    }
    String token = told.getOrDefault("token-digest", "");
    if (!token.matches("[0-9a-f]{64}")) {
      throw ProblemException.invalid(
          "enrolment-malformed", "the agent sends no digest of its token", "paste the line again");
    }
    String name = told.getOrDefault("host", "").replaceAll("[^A-Za-z0-9._-]", "");
    Remedy again = Remedy.of("make another key", Action.AGENT_KEY);
    return db.tx(
        s -> {
          AgentKeyEntity key =
              Db.query(
                      s,
                      AgentKeyEntity.class,
                      "from AgentKeyEntity where digest = ?1",
                      Agents.digest(told.getOrDefault("key", "")))
                  .setHibernateLockMode(LockMode.PESSIMISTIC_WRITE)
                  .getResultList()
                  .stream()
                  .findFirst()
                  .orElseThrow(
                      () ->
                          new ProblemException(
                              403, "key-unknown", "the key is not known here", again));
          if (key.usedAt != null) {
            AgentEntity former =
                key.agentId == null ? null : s.find(AgentEntity.class, key.agentId);
            if (former != null && former.tokenDigest.equals(token)) {
              return former.id;
            }
            throw new ProblemException(
                409,
                "key-used",
                "the key was used already, at "
                    + key.usedAt
                    + (former == null ? "" : " by " + former.name),
                again);
          }
          if (key.expiresAt.isBefore(clock.instant())) {
            throw new ProblemException(
                410, "key-expired", "the key was good until " + key.expiresAt, again);
          }
          AgentEntity agent = new AgentEntity();
          agent.id = Ids.next("ag");
          agent.siteId = key.siteId;
          agent.name =
              name.isEmpty() ? agent.id : name.substring(0, Math.min(name.length(), LONGEST_NAME));
          agent.tokenDigest = token;
          agent.version = "";
          agent.enrolledAt = clock.instant();
          s.persist(agent);
          s.flush();
          key.usedAt = clock.instant();
          key.agentId = agent.id;
          SiteEntity site = s.find(SiteEntity.class, key.siteId);
          events.tell(
              s,
              "site",
              site.id,
              null,
              "the agent on " + agent.name + " enrolled at " + site.name,
              null);
          return agent.id;
        });
  }

  private static ProblemException unknown() {
    return new ProblemException(
        401,
        "agent-unknown",
        "this agent is not known here, or was removed",
        Remedy.of("install it anew", Action.AGENT_KEY));
  }

  /** Which agent a token belongs to. */
  String agent(String token) {
    return db.tx(
            s ->
                Db.first(
                    s,
                    String.class,
                    "select id from AgentEntity where tokenDigest = ?1",
                    Agents.digest(token)))
        .orElseThrow(AgentDesk::unknown);
  }

  /** What an agent tells is of a machine that another one tells of: nothing of it is taken over. */
  private static final class SecondAgentException extends RuntimeException {
    private static final long serialVersionUID = 1;
    private final String former;
    private final String machine;

    SecondAgentException(String former, String machine) {
      this.former = former;
      this.machine = machine;
    }
  }

  private record Taken(String answer, Optional<ProblemException> refused, List<String> scans) {}

  /**
   * Takes a report over.
   *
   * @return what the agent is to know: which looks are held, and whether a survey is wanted
   */
  String report(String agentId, String body) {
    Taken taken;
    try {
      taken = db.tx(s -> take(s, agentId, body));
    } catch (SecondAgentException second) {
      // Only now, since what it told was merged to see whose machine it is.
      taken = db.tx(s -> waits(s, agentId, second));
    }
    taken.scans().forEach(runs::wake);
    if (taken.refused().isPresent()) {
      throw taken.refused().get();
    }
    return taken.answer();
  }

  private Taken take(Session s, String agentId, String body) {
    AgentEntity agent = s.find(AgentEntity.class, agentId, LockMode.PESSIMISTIC_WRITE);
    if (agent == null) {
      throw unknown();
    }
    Instant now = clock.instant();
    agent.heardAt = now;
    if (!agent.waitsFor.isEmpty()) {
      if (s.find(AgentEntity.class, agent.waitsFor) != null) {
        return held(agent);
      }
      // The former was removed meanwhile.
      agent.waitsFor = "";
    }
    SiteEntity site = s.find(SiteEntity.class, agent.siteId);
    try {
      Report report = Report.read(body);
      agent.version = report.version();
      agent.clockAhead = report.now().wallMillis() - now.toEpochMilli();
      if (!report.part().isEmpty()) {
        survey(s, site, agent, report, now);
      }
      Optional<String> machine =
          Optional.ofNullable(
                  s.find(SightingEntity.class, new SightingEntity.Key(site.id, agent.id)))
              .map(g -> g.machineId);
      machine.ifPresent(m -> looks(s, site, agent, m, report, now));
      agent.trouble = "";
      List<RunEntity> open = Runs.open(s, ScanRun.KIND, site.id);
      boolean asked =
          open.stream()
              .anyMatch(r -> agent.surveyedAt == null || r.startedAt.isAfter(agent.surveyedAt));
      boolean wanted = machine.isEmpty() || asked;
      return new Taken(
          "held " + agent.held + "\n" + (wanted ? "survey\n" : ""),
          Optional.empty(),
          report.part().equals("all") ? open.stream().map(r -> r.id).toList() : List.of());
    } catch (Report.MalformedException | SurveyException e) {
      agent.trouble = e.getMessage();
      return new Taken(
          "",
          Optional.of(
              ProblemException.invalid(
                  "report-malformed",
                  "what the agent on " + agent.name + " sends is refused: " + e.getMessage(),
                  Remedy.of("install it anew", Action.AGENT_KEY, site.name))),
          List.of());
    }
  }

  /** It keeps what it has not told, and is asked for nothing. */
  private static Taken held(AgentEntity agent) {
    return new Taken("held " + agent.held + "\n", Optional.empty(), List.of());
  }

  private Taken waits(Session s, String agentId, SecondAgentException second) {
    AgentEntity agent = s.find(AgentEntity.class, agentId, LockMode.PESSIMISTIC_WRITE);
    if (agent == null) {
      throw unknown();
    }
    agent.heardAt = clock.instant();
    agent.waitsFor = second.former;
    agent.trouble =
        "it says that it is on "
            + second.machine
            + ", of which the agent "
            + second.former
            + " tells: it waits for approval";
    SiteEntity site = s.find(SiteEntity.class, agent.siteId);
    events.tell(
        s,
        "site",
        site.id,
        null,
        "the agent " + agent.id + " of " + site.name + ": " + agent.trouble,
        null);
    return held(agent);
  }

  private void survey(Session s, SiteEntity site, AgentEntity agent, Report report, Instant now)
      throws SurveyException {
    Survey survey = SurveyReader.read(report.survey());
    if (report.part().equals("all")) {
      if (!survey.hostname().isEmpty()) {
        agent.name = survey.hostname();
      }
      agent.surveyedAt = now;
      agent.account = survey.account();
      agent.unread =
          Json.text(survey.unread().stream().map(u -> "'" + u.fact() + "': " + u.why()).toList());
      boolean different = surveying.told(s, site, agent.id, agent.name, survey, now);
      if (different) {
        events.tell(
            s, "site", site.id, null, "the agent on " + agent.name + " told what is new", null);
      }
      oneAMachine(s, agent);
    } else {
      surveying.links(s, site, agent.id, survey, now);
    }
  }

  /**
   * An agent that says that it is on a machine of which another tells may be on it anew, or be
   * somebody else's: which of the two, a person says.
   */
  private static void oneAMachine(Session s, AgentEntity agent) {
    Db.first(
            s,
            Object[].class,
            "select a.id, m.name from AgentEntity a"
                + " join SightingEntity g on g.siteId = a.siteId and g.sourceKey = a.id"
                + " join SightingEntity h on h.machineId = g.machineId"
                + " join MachineEntity m on m.id = g.machineId"
                + " where h.siteId = ?1 and h.sourceKey = ?2 and a.id <> ?2",
            agent.siteId,
            agent.id)
        .ifPresent(
            other -> {
              throw new SecondAgentException((String) other[0], (String) other[1]);
            });
  }

  private void looks(
      Session s, SiteEntity site, AgentEntity agent, String machine, Report report, Instant now) {
    List<Usage> looks = new ArrayList<>();
    for (Report.Look look : report.looks()) {
      if (look.number() > agent.held) {
        agent.held = look.number();
        Instant at = report.ours(look.at(), now);
        if (!at.isAfter(now) && at.isAfter(now.minus(OLDEST))) {
          looks.add(look.counters().at(at));
        }
      }
    }
    sink.looks(s, machine, site.id, looks);
  }
}
