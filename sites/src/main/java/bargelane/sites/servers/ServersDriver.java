package bargelane.sites.servers;

import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.guest.Survey;
import bargelane.sites.LookOnly;
import bargelane.sites.ServerAccess;
import bargelane.sites.SiteAccess;
import bargelane.sites.SiteCredential;
import bargelane.sites.SiteException;
import bargelane.sites.Surveys;
import java.time.Clock;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;
import java.util.function.Consumer;

/** Servers that are read over SSH, nothing installed on them. */
public final class ServersDriver extends LookOnly {

  private static final int AT_ONCE = 8;
  private static final int NAMED = 5;

  /** So many servers may know better than we do. */
  private static final int ENOUGH = 3;

  /** More than this between two clocks puts samples and connections at the wrong time. */
  private static final Duration CLOCKS = Duration.ofSeconds(30);

  private final SiteAccess access;
  private final Clock clock;

  public ServersDriver(SiteAccess access, Clock clock) {
    super(access.name() + " is a list of servers", "Servers over SSH", "");
    this.access = access;
    this.clock = clock;
    for (SiteCredential c : access.credentials()) {
      if (c.type() == SiteCredential.Type.KEY) {
        ServerShell.keys(c);
      }
    }
  }

  @Override
  public Optional<Surveys> surveys() {
    return Optional.of(
        new Surveys() {
          @Override
          public void read(Consumer<Reading> each) {
            ServersDriver.this.read("all", each);
          }

          @Override
          public void look(Consumer<Reading> each) {
            ServersDriver.this.read("counters", each);
          }
        });
  }

  /** Reads all servers, several at a time; hands over one at a time, to one thread at a time. */
  private void read(String part, Consumer<Surveys.Reading> each) {
    try (ServerShell shell = new ServerShell(access.name())) {
      ExecutorService threads = Executors.newFixedThreadPool(AT_ONCE);
      try {
        List<java.util.concurrent.Future<?>> all = new ArrayList<>();
        Object turn = new Object();
        for (ServerAccess server : access.servers()) {
          all.add(
              threads.submit(
                  () -> {
                    Surveys.Reading reading = shell.read(server, access.credentials(), part);
                    synchronized (turn) {
                      each.accept(reading);
                    }
                  }));
        }
        for (java.util.concurrent.Future<?> one : all) {
          one.get();
        }
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        throw new SiteException(
            SiteException.Kind.MAY_PASS, "interrupted", access.name() + ": interrupted", e);
      } catch (java.util.concurrent.ExecutionException e) {
        throw e.getCause() instanceof RuntimeException cause
            ? cause
            : new IllegalStateException(e.getCause());
      } finally {
        threads.shutdownNow();
        awaited(threads);
      }
    }
  }

  private static void awaited(ExecutorService threads) {
    try {
      threads.awaitTermination(1, TimeUnit.SECONDS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  @Override
  public List<Finding> check() {
    if (access.servers().isEmpty()) {
      return List.of(
          new Finding(
              Code.SITE_EMPTY,
              access.name(),
              "there is no server in its list",
              Action.SERVER_ADD.of(access.name()),
              Who.ENGINEER));
    }
    List<Finding> all = new ArrayList<>();
    Map<String, List<String>> unread = new LinkedHashMap<>();
    Map<ServerAccess, Duration> off = new LinkedHashMap<>();
    read(
        "all",
        r -> {
          r.trouble().ifPresent(all::add);
          r.survey()
              .ifPresent(
                  s -> {
                    off.put(r.server(), Duration.between(clock.instant(), s.at()));
                    for (Survey.Unread u : s.unread()) {
                      unread
                          .computeIfAbsent(
                              "'" + u.fact() + "' can't be read as " + s.account() + ": " + u.why(),
                              x -> new ArrayList<>())
                          .add(r.server().address());
                    }
                  });
        });
    clocks(off, all);
    unread.forEach(
        (what, where) ->
            all.add(
                new Finding(
                    Code.SERVER_FACT_UNREAD,
                    where.size() > NAMED
                        ? String.join(", ", where.subList(0, NAMED))
                            + " and "
                            + (where.size() - NAMED)
                            + " more of "
                            + access.name()
                        : String.join(", ", where) + " of " + access.name(),
                    what,
                    "see the privileges of sites of kind servers, or go on without",
                    Who.SITE_OWNER)));
    return all;
  }

  /** Clocks that are off. Where most servers agree against ours, it is ours. */
  private void clocks(Map<ServerAccess, Duration> off, List<Finding> all) {
    List<Duration> sorted = off.values().stream().sorted().toList();
    if (sorted.size() >= ENOUGH) {
      Duration middle = sorted.get(sorted.size() / 2);
      long agree =
          sorted.stream().filter(d -> d.minus(middle).abs().compareTo(CLOCKS) <= 0).count();
      if (middle.abs().compareTo(CLOCKS) > 0 && 2 * agree > sorted.size()) {
        all.add(
            new Finding(
                Code.SITE_CLOCK_OFF,
                "the service",
                agree
                    + " of "
                    + sorted.size()
                    + " servers of "
                    + access.name()
                    + " agree that its clock is "
                    + middle.abs().toSeconds()
                    + " s "
                    + (middle.isNegative() ? "ahead" : "behind"),
                "have the machine that the service runs on follow a time server",
                Who.SERVICE));
        return;
      }
    }
    off.forEach(
        (server, by) -> {
          if (by.abs().compareTo(CLOCKS) > 0) {
            all.add(
                new Finding(
                    Code.SITE_CLOCK_OFF,
                    server.address() + " of " + access.name(),
                    "its clock is "
                        + by.abs().toSeconds()
                        + " s "
                        + (by.isNegative() ? "behind" : "ahead"),
                    "have it follow a time server",
                    Who.SITE_OWNER));
          }
        });
  }
}
