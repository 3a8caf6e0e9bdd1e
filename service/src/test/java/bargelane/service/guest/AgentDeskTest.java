package bargelane.service.guest;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import bargelane.api.AgentKeyAsk;
import bargelane.api.AgentView;
import bargelane.api.UsageView;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.site.SiteKind;
import bargelane.service.event.Events;
import bargelane.service.node.KeptByRooms;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.TestDatabase;
import bargelane.service.run.RunEngine;
import bargelane.service.usage.Usages;
import bargelane.sites.Drivers;
import bargelane.sites.SiteAccess;
import java.io.IOException;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** What agents come with, against a real PostgreSQL. */
class AgentDeskTest {

  private static final String BOOT = "6f1c2a1e-0000-4000-8000-000000000001";
  private static final String TOKEN = "ab".repeat(32);
  private static TestDatabase database;
  private static Db db;
  private static Events events;

  private static final GuestSink SINK = new KeptByRooms();
  private final Clock clock = mock(Clock.class);
  private Instant now = Instant.parse("2026-11-02T08:00:00Z");
  private final Agents agents = new Agents(db, events, clock);
  private final AgentDesk desk =
      new AgentDesk(db, events, mock(RunEngine.class), new Surveying(db, SINK, clock), SINK, clock);

  @BeforeAll
  static void open() throws IOException {
    database = TestDatabase.open();
    db = database.db();
    events = new Events(db, Clock.systemUTC(), database.url, "bargelane", database.password);
  }

  @AfterAll
  static void shut() throws IOException {
    events.close();
    database.close();
  }

  @BeforeEach
  void aSiteOfAgents() {
    when(clock.instant()).thenAnswer(x -> now);
    db.run(
        s -> {
          for (String sql :
              List.of(
                  "delete from machine_change",
                  "delete from machine",
                  "delete from site",
                  "insert into site (id, name, kind, address, created_at, findings)"
                      + " values ('annexes', 'annexes', 'agents', '', now(), '[]')")) {
            s.createNativeMutationQuery(sql).executeUpdate();
          }
        });
  }

  private String key() {
    return agents.key("annexes", new AgentKeyAsk(null), k -> k, "engineer").line();
  }

  private static String enrolment(String key, String digest) {
    return "format: bargelane/enrol/1\nkey "
        + key
        + "\ntoken-digest "
        + digest
        + "\nversion 0.1.0\nhost annex-desk\n";
  }

  private String agent() {
    return desk.enrol(enrolment(key(), TOKEN));
  }

  private static final String SURVEY =
      """
      format: bargelane/survey/1
      = time
       1772452800
      = identity
       0123456789abcdef0123456789abcdef
      = account
       bargelane-agent
      = host
       annex-desk
       Linux
       6.1.0
       x86_64
      = cards
       eth0 52:54:00:aa:bb:01 up physical
      = memory
       MemTotal: 8000 kB
      = blocks
       sda 8192 - 0
      = os
       PRETTY_NAME="Debian GNU/Linux 12"
      = owners
      ! processes of others are not told to bargelane-agent
      = end
      """;

  /** A look a minute from one number to another, at one processor's full use, by uptime. */
  private static String looks(int from, int to) {
    StringBuilder all = new StringBuilder();
    for (int i = from; i < to; i++) {
      all.append("look ")
          .append(i)
          .append(' ')
          .append(BOOT)
          .append(' ')
          .append(i * 60_000L)
          .append(" 0 ")
          .append(i * 6000L)
          .append(" 1000 - - 0 0 5 7\n");
    }
    return all.toString();
  }

  private static String report(String looks, String part, long uptimeMillis, long wall) {
    return "format: bargelane/report/1\nversion 0.1.0\n"
        + looks
        + (part.isEmpty() ? "" : "survey " + part + "\n")
        + "now "
        + BOOT
        + " "
        + uptimeMillis
        + " "
        + wall
        + "\n"
        + (part.isEmpty() ? "" : SURVEY);
  }

  private String tell(String agent, String looks, String part, int minute) {
    return desk.report(agent, report(looks, part, minute * 60_000L, now.toEpochMilli()));
  }

  private UsageView usage(Instant from, Instant to) {
    return new Usages(db, clock).view("annex-desk", from.toString(), to.toString(), "", 0);
  }

  private List<Finding> check() {
    return Drivers.open(
            new SiteAccess(
                SiteKind.AGENTS,
                "annexes",
                "",
                List.of(),
                List.of(),
                db.tx(s -> Agents.states(s, "annexes"))),
            clock)
        .check();
  }

  private static long count(String from) {
    return db.tx(
        s ->
            ((Number)
                    s.createNativeQuery("select count(*) from " + from, Object.class)
                        .getSingleResult())
                .longValue());
  }

  private String refused(Runnable what) {
    return assertThrows(ProblemException.class, what::run).code();
  }

  @Test
  void aKeyIsGoodOnceAndForATime() {
    String key = key();
    String id = desk.enrol(enrolment(key, TOKEN));
    assertEquals(
        id, desk.enrol(enrolment(key, TOKEN)), "its answer was lost: the same agent again");
    assertEquals("key-used", refused(() -> desk.enrol(enrolment(key, "cd".repeat(32)))));
    assertEquals(1, count("agent"));
    String late = key();
    now = now.plus(Duration.ofMinutes(61));
    assertEquals("key-expired", refused(() -> desk.enrol(enrolment(late, "cd".repeat(32)))));
    assertEquals("key-unknown", refused(() -> desk.enrol(enrolment("guessed", TOKEN))));
    assertEquals("enrolment-malformed", refused(() -> desk.enrol("hello")));
    assertEquals("enrolment-malformed", refused(() -> desk.enrol(enrolment(key(), "x"))));
    assertEquals(
        "validity-malformed",
        refused(() -> agents.key("annexes", new AgentKeyAsk(0L), k -> k, "e")));
    assertEquals("agent-unknown", refused(() -> desk.agent("stranger")));
    assertEquals(0, count("agent_key where digest = '" + key + "'"), "the key itself is not kept");
  }

  @Test
  void whatAnAgentTellsIsItsMachine() {
    String id = agent();
    assertTrue(tell(id, looks(1, 2), "", 1).contains("survey"), "the machine is not known yet");
    assertEquals("held 1\n", tell(id, looks(1, 2), "all", 1));
    assertEquals(1, count("machine where name = 'annex-desk'"));
    assertEquals("reporting", agents.list("annexes").get(0).state());
    List<Finding> found = check();
    assertEquals(
        List.of(Code.SERVER_FACT_UNREAD), found.stream().map(Finding::code).toList(), found + "");
    assertTrue(found.get(0).cause().contains("bargelane-agent, can't read 'owners'"));
    now = now.plus(Duration.ofMinutes(6));
    assertEquals("silent", agents.list("annexes").get(0).state());
    assertTrue(check().stream().anyMatch(f -> f.code() == Code.AGENT_SILENT));
  }

  @Test
  void whatWasSeenWhileNobodyListenedComesLaterAndOnce() {
    String id = agent();
    tell(id, looks(1, 2), "all", 1);
    Instant away = now;
    // Three hours without us; then all of it at once, and again because the answer was lost.
    now = now.plus(Duration.ofMinutes(180));
    String all = looks(2, 182);
    assertEquals("held 181\n", tell(id, all, "", 181));
    UsageView once = usage(away, now);
    assertEquals("held 181\n", tell(id, all, "", 181));
    assertEquals(once, usage(away, now));
    assertTrue(once.gaps().size() <= 1, once.gaps() + "");
    assertTrue(once.held() >= 35, once.held() + " of 36 slots");
    assertEquals(1, once.metrics().get(0).mean(), 1e-3, "one processor, always");
    assertEquals(1, once.metrics().get(0).maximum(), 1e-3);
  }

  @Test
  void aWrongClockIsSaidAndPutsNothingAtTheWrongTime() {
    String id = agent();
    long behind = now.minus(Duration.ofHours(7)).toEpochMilli();
    desk.report(id, report(looks(1, 2), "all", 60_000, behind));
    Instant begun = now;
    now = now.plus(Duration.ofMinutes(30));
    desk.report(id, report(looks(2, 32), "", 31 * 60_000, behind + 30 * 60_000));
    assertTrue(
        check().stream()
            .anyMatch(f -> f.code() == Code.SITE_CLOCK_OFF && f.cause().contains("25200 s behind")),
        check() + "");
    assertTrue(usage(begun, now).held() >= 5);
    assertEquals(0, usage(begun.minus(Duration.ofHours(8)), begun).held());
  }

  @Test
  void looksOfAFormerBootAreNotStepsOfThisOne() {
    String id = agent();
    tell(id, looks(1, 12), "all", 11);
    now = now.plus(Duration.ofMinutes(5));
    String again = looks(1, 2).replace("look 1 " + BOOT, "look 12 " + BOOT.replace('6', '7'));
    desk.report(
        id,
        report(again, "", 60_000, now.toEpochMilli())
            .replace("now " + BOOT, "now " + BOOT.replace('6', '7')));
    UsageView seen = usage(now.minus(Duration.ofHours(1)), now);
    assertEquals(1, seen.metrics().get(0).maximum(), 1e-3, "no step back, none in between");
  }

  @Test
  void aRemovedAgentIsRefusedAndItsMachineVanishes() {
    String id = agent();
    tell(id, "", "all", 1);
    agents.remove("annexes", "annex-desk", "engineer");
    assertEquals("agent-unknown", refused(() -> tell(id, "", "", 2)));
    assertEquals(1, count("machine where vanished_at is not null"));
    assertEquals("agent-unknown", refused(() -> agents.remove("annexes", id, "engineer")));
  }

  @Test
  void aSecondAgentOfAMachineTellsNothingUntilSomebodyApprovesIt() {
    String former = agent();
    tell(former, looks(1, 2), "all", 1);
    now = now.plusSeconds(60);
    String later = desk.enrol(enrolment(key(), "cd".repeat(32)));
    assertEquals("held 0\n", tell(later, looks(1, 2), "all", 2));
    assertEquals("held 0\n", tell(later, looks(1, 3), "all", 3), "again and again");
    AgentView waits =
        agents.list("annexes").stream().filter(a -> a.id().equals(later)).findFirst().orElseThrow();
    assertEquals("waiting", waits.state());
    assertTrue(waits.trouble().contains(former), waits.trouble());
    assertEquals("", waits.machineId());
    assertTrue(check().stream().anyMatch(f -> f.code() == Code.AGENT_WAITS));
    assertEquals("held 2\n", tell(former, looks(2, 3), "", 3), "and the former is heard on");
    agents.approve("annexes", later, "engineer");
    assertEquals("agent-waits-not", refused(() -> agents.approve("annexes", later, "engineer")));
    assertEquals("held 2\n", tell(later, looks(1, 3), "all", 4));
    assertEquals(List.of(later), agents.list("annexes").stream().map(a -> a.id()).toList());
    assertEquals("reporting", agents.list("annexes").get(0).state());
    assertEquals("agent-unknown", refused(() -> tell(former, "", "", 5)));
    assertEquals(1, count("machine where vanished_at is null"));
    assertEquals(1, count("machine"));
  }

  @Test
  void aSecondAgentIsTheOnlyOneOnceTheFormerIsRemoved() {
    String former = agent();
    tell(former, looks(1, 2), "all", 1);
    String later = desk.enrol(enrolment(key(), "cd".repeat(32)));
    tell(later, "", "all", 2);
    assertEquals(1, count("machine where vanished_at is null"));
    agents.remove("annexes", former, "engineer");
    assertEquals("held 1\n", tell(later, looks(1, 2), "all", 3));
    assertEquals(
        List.of("reporting"), agents.list("annexes").stream().map(a -> a.state()).toList());
    assertEquals(1, count("machine where vanished_at is null"));
  }

  @Test
  void anAgentReportsInBurstsAndSoOftenInTheLongRun() {
    long[] at = {0};
    Pace pace = new Pace(() -> at[0]);
    for (int i = 0; i < Pace.BURST; i++) {
      pace.comes("a");
    }
    ProblemException held = assertThrows(ProblemException.class, () -> pace.comes("a"));
    assertEquals(429, held.status());
    pace.comes("b");
    at[0] += 1_000_000_000L;
    for (int i = 0; i < Pace.A_SECOND; i++) {
      pace.comes("a");
    }
    assertThrows(ProblemException.class, () -> pace.comes("a"));
    at[0] += Duration.ofDays(400).toNanos();
    for (int i = 0; i < Pace.BURST; i++) {
      pace.comes("a");
    }
    assertThrows(ProblemException.class, () -> pace.comes("a"), "no more than a burst is saved up");
  }

  @Test
  void nonsenseIsRefusedAndRemembered() {
    String id = agent();
    assertEquals("report-malformed", refused(() -> desk.report(id, "hello\n")));
    assertEquals("refused", agents.list("annexes").get(0).state());
    assertTrue(check().stream().anyMatch(f -> f.code() == Code.AGENT_ANSWER_INVALID));
    tell(id, "", "all", 1);
    assertEquals("reporting", agents.list("annexes").get(0).state());
    String sound = report(looks(1, 5), "all", 300_000, now.toEpochMilli());
    Random random = new Random(11);
    int accepted = 0;
    for (int i = 0; i < 400; i++) {
      StringBuilder bad = new StringBuilder(sound);
      for (int k = 0; k <= random.nextInt(4); k++) {
        int at = random.nextInt(bad.length());
        switch (random.nextInt(3)) {
          case 0 -> bad.setCharAt(at, (char) (random.nextInt(127) + 1));
          case 1 -> bad.delete(at, Math.min(bad.length(), at + random.nextInt(40)));
          default -> bad.insert(at, "9".repeat(random.nextInt(25)) + "\n");
        }
      }
      try {
        desk.report(id, bad.toString());
        accepted++;
      } catch (ProblemException e) {
        assertEquals("report-malformed", e.code(), bad.toString());
      }
    }
    assertTrue(accepted < 400, "some of it was nonsense");
    tell(id, "", "all", 1);
    assertEquals("reporting", agents.list("annexes").get(0).state(), "and all is well again");
  }
}
