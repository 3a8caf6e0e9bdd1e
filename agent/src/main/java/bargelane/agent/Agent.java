package bargelane.agent;

import bargelane.core.guest.SurveyException;
import bargelane.core.guest.SurveyReader;
import bargelane.core.site.Inventory.Usage;
import java.io.IOException;
import java.nio.channels.FileLock;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import java.util.OptionalLong;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import java.util.function.Consumer;

/**
 * Looks at what is used every minute and keeps it; tells the service what it does not hold yet, and
 * with it who is talked to and, every hour or when asked, everything there is.
 */
final class Agent {

  static final String VERSION = "0.1.0";

  /** Looks in one report: a day of minutes. */
  private static final int IN_ONE = 1440;

  private final Path dir;
  private final Duration every;
  private final Duration linksEvery;
  private final Duration surveyEvery;
  private final Consumer<String> log;
  private final Surveyor surveyor = new Surveyor();
  private final CountDownLatch over = new CountDownLatch(1);
  private Spool spool;
  private ServiceLink link;
  private boolean away;
  private boolean surveyWanted = true;
  private long surveyedAt;
  private long linksAt;
  private IOException refused;

  Agent(Path dir, Duration every, Duration linksEvery, Duration surveyEvery, Consumer<String> log) {
    this.dir = dir;
    this.every = every;
    this.linksEvery = linksEvery;
    this.surveyEvery = surveyEvery;
    this.log = log;
  }

  /** Works until the service refuses this agent. */
  void run() throws IOException {
    Identity identity = Identity.of(dir);
    try (FileLock lock = Identity.lock(dir)) {
      spool = new Spool(dir);
      link = new ServiceLink(identity);
      log.accept(
          "agent "
              + identity.agent()
              + " tells "
              + identity.service()
              + "; "
              + spool.size()
              + " looks are kept from before");
      ScheduledExecutorService clock = Executors.newSingleThreadScheduledExecutor();
      clock.scheduleAtFixedRate(this::tick, 0, every.toMillis(), TimeUnit.MILLISECONDS);
      over.await();
      clock.shutdownNow();
      lock.release();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
    throw refused;
  }

  private void tick() {
    look();
    try {
      tell();
      if (away) {
        away = false;
        log.accept("the service answers again");
      }
    } catch (ServiceLink.RefusedException e) {
      refused = e;
      over.countDown();
    } catch (IOException | RuntimeException e) {
      if (!away) {
        away = true;
        log.accept("the service can't be told for now, what is seen is kept: " + e.getMessage());
      }
    }
  }

  /** One look at the counters, kept until the service holds it. */
  private void look() {
    try {
      long uptime = Surveyor.uptimeMillis();
      long wall = System.currentTimeMillis();
      Usage u = SurveyReader.read(surveyor.tell("use")).counters();
      spool.add(
          Surveyor.bootId()
              + " "
              + uptime
              + " "
              + wall
              + " "
              + (u.cpuSeconds().isPresent()
                  ? String.valueOf(Math.round(u.cpuSeconds().getAsDouble() * 100))
                  : "-")
              + of(u.memoryBytes())
              + of(u.readBytes())
              + of(u.reads())
              + of(u.writtenBytes())
              + of(u.writes())
              + of(u.receivedBytes())
              + of(u.sentBytes()));
    } catch (IOException | SurveyException | RuntimeException e) {
      log.accept("a look failed: " + e.getMessage());
    }
  }

  private static String of(OptionalLong value) {
    return " " + (value.isPresent() ? String.valueOf(value.getAsLong()) : "-");
  }

  private void tell() throws IOException {
    boolean more = true;
    while (more) {
      List<Spool.Look> looks = spool.oldest(IN_ONE);
      StringBuilder body =
          new StringBuilder("format: bargelane/report/1\nversion ").append(VERSION);
      looks.forEach(l -> body.append('\n').append(l.line()));
      String part = due();
      if (!part.isEmpty()) {
        body.append("\nsurvey ").append(part);
      }
      String survey = part.isEmpty() ? "" : surveyor.tell(part);
      body.append("\nnow ")
          .append(Surveyor.bootId())
          .append(' ')
          .append(Surveyor.uptimeMillis())
          .append(' ')
          .append(System.currentTimeMillis())
          .append('\n')
          .append(survey);
      taken(part, link.report(body.toString()));
      more = looks.size() == IN_ONE && spool.size() > 0;
    }
  }

  private String due() {
    long now = System.nanoTime();
    if (surveyWanted || now - surveyedAt >= surveyEvery.toNanos()) {
      return "all";
    }
    return now - linksAt >= linksEvery.toNanos() ? "counters" : "";
  }

  private void taken(String part, String answer) throws IOException {
    long now = System.nanoTime();
    if (part.equals("all")) {
      surveyedAt = now;
      surveyWanted = false;
    }
    if (!part.isEmpty()) {
      linksAt = now;
    }
    for (String line : answer.lines().toList()) {
      if (line.matches("held [0-9]{1,18}")) {
        spool.held(Long.parseLong(line.substring(5)));
      } else if (line.equals("survey")) {
        surveyWanted = true;
      }
    }
  }
}
