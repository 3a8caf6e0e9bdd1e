package bargelane.sites.agents;

import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.sites.AgentState;
import bargelane.sites.LookOnly;
import bargelane.sites.SiteAccess;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/** Machines that agents inside them tell of: nobody goes to them, they come to us. */
public final class AgentsDriver extends LookOnly {

  /** An agent that has told nothing for so long is silent: it does every minute. */
  public static final Duration SILENT = Duration.ofMinutes(5);

  private static final Duration CLOCKS = Duration.ofSeconds(30);

  private final SiteAccess access;
  private final Clock clock;

  public AgentsDriver(SiteAccess access, Clock clock) {
    super(access.name() + " is what agents tell of", "Agents in guests", "");
    this.access = access;
    this.clock = clock;
  }

  /** Whether an agent is silent at an instant. */
  public static boolean silent(AgentState agent, Instant now) {
    return agent.heardAt().isEmpty() || agent.heardAt().get().isBefore(now.minus(SILENT));
  }

  @Override
  public List<Finding> check() {
    if (access.agents().isEmpty()) {
      return List.of(
          new Finding(
              Code.SITE_EMPTY,
              access.name(),
              "no agent has reported yet",
              Remedy.of(
                  "paste the line that it gives on a machine", Action.AGENT_KEY, access.name()),
              Who.ENGINEER));
    }
    List<Finding> all = new ArrayList<>();
    Map<String, List<String>> unread = new LinkedHashMap<>();
    for (AgentState a : access.agents()) {
      String thing = a.machine() + " of " + access.name();
      if (silent(a, clock.instant())) {
        all.add(
            new Finding(
                Code.AGENT_SILENT,
                thing,
                a.heardAt()
                    .map(at -> "its agent's last report came at " + at)
                    .orElse("its agent never reported"),
                Remedy.of(
                    "see its log on the machine; if it is gone for good",
                    Action.AGENT_REMOVE,
                    access.name(),
                    a.id()),
                Who.SITE_OWNER));
      }
      if (!a.second().isEmpty()) {
        all.add(
            new Finding(
                Code.AGENT_WAITS,
                thing,
                a.second(),
                Remedy.of(
                    "let it, if you installed it there anew; else remove it",
                    Action.AGENT_APPROVE,
                    access.name(),
                    a.id()),
                Who.ENGINEER));
      }
      if (!a.trouble().isEmpty()) {
        all.add(
            new Finding(
                Code.AGENT_ANSWER_INVALID,
                thing,
                "what its agent told last was refused: " + a.trouble(),
                Remedy.of("install it anew", Action.AGENT_KEY, access.name()),
                Who.SITE_OWNER));
      }
      if (a.clockAhead().abs().compareTo(CLOCKS) > 0) {
        all.add(
            new Finding(
                Code.SITE_CLOCK_OFF,
                thing,
                "its clock is "
                    + a.clockAhead().abs().toSeconds()
                    + " s "
                    + (a.clockAhead().isNegative() ? "behind" : "ahead")
                    + "; what it used is kept by ours",
                "have it follow a time server",
                Who.SITE_OWNER));
      }
      for (String what : a.unread()) {
        unread
            .computeIfAbsent(
                "its agent, " + a.account() + ", can't read " + what, x -> new ArrayList<>())
            .add(a.machine());
      }
    }
    unread.forEach(
        (what, where) ->
            all.add(
                new Finding(
                    Code.SERVER_FACT_UNREAD,
                    String.join(", ", where) + " of " + access.name(),
                    what,
                    "see the privileges of sites of kind agents, or go on without",
                    Who.SITE_OWNER)));
    return all;
  }
}
