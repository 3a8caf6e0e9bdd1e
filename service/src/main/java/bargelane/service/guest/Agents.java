package bargelane.service.guest;

import bargelane.api.AgentKeyAsk;
import bargelane.api.AgentKeyView;
import bargelane.api.AgentView;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.site.SiteKind;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import bargelane.sites.AgentState;
import bargelane.sites.agents.AgentsDriver;
import bargelane.text.Durations;
import com.fasterxml.jackson.core.type.TypeReference;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.HashMap;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.hibernate.Session;

/** The agents of sites, and the keys that let them in. */
public final class Agents {

  private static final Duration SHORTEST = Duration.ofMinutes(1);
  private static final Duration LONGEST = Duration.ofDays(7);

  private final Db db;
  private final Events events;
  private final Clock clock;

  /** Opens where agents are listened to; gives the line to paste for a key. */
  @FunctionalInterface
  public interface Door {
    String line(String key);
  }

  public Agents(Db db, Events events, Clock clock) {
    this.db = db;
    this.events = events;
    this.clock = clock;
  }

  static String digest(String secret) {
    try {
      return HexFormat.of()
          .formatHex(
              MessageDigest.getInstance("SHA-256").digest(secret.getBytes(StandardCharsets.UTF_8)));
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e);
    }
  }

  private static SiteEntity site(Session s, String ref) {
    SiteEntity found = Sites.find(s, ref);
    if (found.kind != SiteKind.AGENTS) {
      throw ProblemException.conflict(
          "site-has-no-agents",
          "site " + found.name + " is of kind " + found.kind + ", no agents tell of it",
          Action.SITE_ADD.of(SiteKind.AGENTS.word()));
    }
    return found;
  }

  /** Whether there is a site that agents tell of. */
  public boolean wanted() {
    return db.tx(
        s ->
            Db.first(s, String.class, "select id from SiteEntity where kind = ?1", SiteKind.AGENTS)
                .isPresent());
  }

  /** Makes a key that lets one agent enrol, once, for some time. */
  public AgentKeyView key(String ref, AgentKeyAsk asked, Door door, String by) {
    Duration valid =
        asked.validSeconds() == null
            ? Duration.ofHours(1)
            : Duration.ofSeconds(asked.validSeconds());
    if (valid.compareTo(SHORTEST) < 0 || valid.compareTo(LONGEST) > 0) {
      throw ProblemException.invalid(
          "validity-malformed",
          "a key can't be good for " + Durations.text(valid),
          "give " + Durations.text(SHORTEST) + " to " + Durations.text(LONGEST));
    }
    String key = Ids.secret();
    Instant expires = clock.instant().plus(valid);
    String name =
        db.tx(
            s -> {
              SiteEntity site = site(s, ref);
              Db.change(
                  s,
                  "delete from AgentKeyEntity where expiresAt < ?1",
                  clock.instant().minus(Duration.ofDays(30)));
              AgentKeyEntity e = new AgentKeyEntity();
              e.digest = digest(key);
              e.siteId = site.id;
              e.madeBy = by;
              e.expiresAt = expires;
              s.persist(e);
              events.tell(
                  s, "site", site.id, null, by + " made a key for an agent of " + site.name, null);
              return site.name;
            });
    return new AgentKeyView(name, expires, door.line(key));
  }

  /** The agents of a site, the silent ones first. */
  public List<AgentView> list(String ref) {
    Instant now = clock.instant();
    return db.tx(
        s -> {
          SiteEntity site = site(s, ref);
          Map<String, String> machines = new HashMap<>();
          for (Object[] row :
              Db.list(
                  s,
                  Object[].class,
                  "select sourceKey, machineId from SightingEntity where siteId = ?1",
                  site.id)) {
            machines.put((String) row[0], (String) row[1]);
          }
          return states(s, site.id).stream()
              .map(
                  a -> {
                    AgentEntity e = s.find(AgentEntity.class, a.id());
                    return new AgentView(
                        a.id(),
                        machines.getOrDefault(a.id(), ""),
                        a.machine(),
                        a.version(),
                        !e.waitsFor.isEmpty()
                            ? "waiting"
                            : AgentsDriver.silent(a, now)
                                ? "silent"
                                : a.trouble().isEmpty() ? "reporting" : "refused",
                        e.enrolledAt,
                        e.heardAt,
                        e.surveyedAt,
                        e.clockAhead / 1000.0,
                        a.account(),
                        a.unread(),
                        e.trouble);
                  })
              .sorted(
                  java.util.Comparator.comparing((AgentView v) -> v.state().equals("reporting"))
                      .thenComparing(AgentView::machine)
                      .thenComparing(AgentView::id))
              .toList();
        });
  }

  /** One of a site. */
  public AgentView view(String ref, String agent) {
    return list(ref).stream()
        .filter(a -> a.id().equals(agent))
        .findFirst()
        .orElseThrow(() -> ProblemException.missing("agent", agent));
  }

  /** Those of a site, for its driver. */
  public static List<AgentState> states(Session s, String siteId) {
    return Db.list(
            s, AgentEntity.class, "from AgentEntity where siteId = ?1 order by name, id", siteId)
        .stream()
        .map(
            e ->
                new AgentState(
                    e.id,
                    e.name,
                    e.version,
                    Optional.ofNullable(e.heardAt),
                    Duration.ofMillis(e.clockAhead),
                    e.account,
                    Json.read(e.unread, new TypeReference<List<String>>() {}),
                    e.waitsFor.isEmpty() ? "" : e.trouble,
                    e.waitsFor.isEmpty() ? e.trouble : ""))
        .toList();
  }

  private static AgentEntity agent(Session s, SiteEntity site, String agent) {
    return Db.first(
            s,
            AgentEntity.class,
            "from AgentEntity where siteId = ?1 and (id = ?2 or name = ?2) order by heardAt nulls first",
            site.id,
            agent)
        .orElseThrow(
            () ->
                new ProblemException(
                    404,
                    "agent-unknown",
                    "site " + site.name + " has no agent '" + agent + "'",
                    Remedy.of("list them", Action.AGENT_LIST, site.name)));
  }

  /** Lets an agent that waits take the place of the one that its machine had before. */
  public void approve(String ref, String agent, String by) {
    db.run(
        s -> {
          SiteEntity site = site(s, ref);
          AgentEntity found = agent(s, site, agent);
          if (found.waitsFor.isEmpty()) {
            throw ProblemException.conflict(
                "agent-waits-not",
                "the agent " + found.id + " waits for nothing",
                Remedy.of("look at the agents", Action.AGENT_LIST, site.name));
          }
          AgentEntity former = s.find(AgentEntity.class, found.waitsFor);
          if (former != null) {
            Surveying.forget(
                s, s.find(SiteEntity.class, former.siteId), former.id, clock.instant());
            s.remove(former);
          }
          events.tell(
              s,
              "site",
              site.id,
              null,
              by
                  + " let the agent "
                  + found.id
                  + " of "
                  + site.name
                  + " take the place of "
                  + found.waitsFor,
              null);
          found.waitsFor = "";
          found.trouble = "";
        });
  }

  /**
   * Takes an agent from its site: it is refused from now on; its machine vanishes if nobody else
   * tells of it.
   */
  public void remove(String ref, String agent, String by) {
    db.run(
        s -> {
          SiteEntity site = site(s, ref);
          AgentEntity found = agent(s, site, agent);
          Surveying.forget(s, site, found.id, clock.instant());
          s.remove(found);
          events.tell(
              s,
              "site",
              site.id,
              null,
              by + " removed the agent " + found.id + " on " + found.name + " from " + site.name,
              null);
        });
  }
}
