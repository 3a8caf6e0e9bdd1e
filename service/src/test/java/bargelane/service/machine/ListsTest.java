package bargelane.service.machine;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.CsvImport;
import bargelane.api.ImportResult;
import bargelane.api.LabelEdit;
import bargelane.api.LabelRuleAdd;
import bargelane.api.LabelRuleView;
import bargelane.api.MachineView;
import bargelane.api.UsageView;
import bargelane.service.connection.ConnectionLists;
import bargelane.service.event.Events;
import bargelane.service.platform.AtOnce;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.TestDatabase;
import bargelane.service.usage.UsageLists;
import bargelane.service.usage.Usages;
import java.io.IOException;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** MachineLists that people give, against a real PostgreSQL. */
class ListsTest {

  private static final Clock CLOCK =
      Clock.fixed(Instant.parse("2026-11-02T08:00:00Z"), ZoneOffset.UTC);
  private static TestDatabase database;
  private static Db db;
  private static Events events;
  private static MachineLists lists;

  @BeforeAll
  static void open() throws IOException {
    database = TestDatabase.open();
    db = database.db();
    events = new Events(db, CLOCK, database.url, "bargelane", database.password);
    lists = new MachineLists(db, events, CLOCK);
  }

  @AfterAll
  static void shut() throws IOException {
    events.close();
    database.close();
  }

  @BeforeEach
  void aList() {
    db.run(
        s -> {
          for (String sql :
              List.of(
                  "delete from connection",
                  "delete from label_rule",
                  "delete from machine_change",
                  "delete from machine",
                  "delete from site",
                  "insert into site (id, name, kind, address, created_at, findings)"
                      + " values ('boathouse', 'boathouse', 'csv', '', now(), '[]'),"
                      + " ('host', 'host', 'libvirt', '', now(), '[]')")) {
            s.createNativeMutationQuery(sql).executeUpdate();
          }
        });
  }

  private static ImportResult machines(String csv) {
    return lists.machines("boathouse", new CsvImport(csv, false, false), "engineer");
  }

  private static MachineView machine(String name) {
    return new Machines(db, events).view(name);
  }

  private static long count(String from) {
    return db.tx(
        s ->
            ((Number)
                    s.createNativeQuery("select count(*) from " + from, Object.class)
                        .getSingleResult())
                .longValue());
  }

  private static final String TWO =
      """
      Name,cpus,memory,os,firmware,power,disks,nics,label.App
      sluice-1,4,16 GiB,"Debian, 12",uefi,on,100 GiB;data=1.5 TiB,net-a 10.9.0.4 52:54:00:00:00:01; net-b,lock "keepers"
      sluice-2,,,,,off,,2001:db8::7,
      """
          .replace("lock \"keepers\"", "\"lock \"\"keepers\"\"\"");

  @Test
  void machinesAreAsTheirColumnsSay() {
    ImportResult result = machines(TWO.replace("\n", "\r\n"));
    assertEquals(List.of(), result.problems());
    assertEquals(2, result.added());
    MachineView m = machine("sluice-1");
    assertEquals(16 << 10, m.memoryMib());
    assertEquals("Debian, 12", m.os());
    assertEquals(100L << 30, m.disks().get(0).bytes());
    assertEquals("data", m.disks().get(1).volume());
    assertEquals("net-a", m.nics().get(0).network());
    assertEquals("10.9.0.4", m.nics().get(0).address());
    assertEquals(Map.of("App", "lock \"keepers\""), m.labels());
    assertFalse(machine("sluice-2").on());
    assertEquals("2001:db8::7", machine("sluice-2").nics().get(0).address());
    // The same again changes nothing; another value is a difference that is kept.
    assertEquals(0, machines(TWO).added() + machines(TWO).changed());
    assertEquals(1, machines(TWO.replace(",4,", ",8,")).changed());
    assertEquals(1, count("machine_change where fact = 'processors' and present = '8'"));
    assertEquals(2, count("machine"));
  }

  @Test
  void everyBadLineIsToldAndNothingIsStored() {
    ImportResult result =
        machines(
            """
            name,cpus,memory,firmware,power,disks,nics
            good,2,4 GiB,bios,on,10 GiB,
            ,2,,,,,
            "a
            name",-1,4 GB,,,,
            good,0,,coreboot,asleep,0 GiB;x=;y=1 GiB;y=2 GiB,a b c
            short,1
            """);
    assertFalse(result.stored());
    assertEquals(0, count("machine"));
    List<String> told =
        result.problems().stream()
            .map(p -> p.line() + " " + p.column() + " " + p.reason())
            .toList();
    assertEquals(14, result.problemCount(), told + "");
    assertEquals("3 name is empty", told.get(0));
    assertTrue(told.stream().anyMatch(t -> t.startsWith("4 cpus '-1'")), told + "");
    assertTrue(
        told.stream().anyMatch(t -> t.startsWith("6 name 'good' is there twice")), told + "");
    assertTrue(told.stream().anyMatch(t -> t.startsWith("7  has 2 values")), told + "");
  }

  @Test
  void whatIsNoListIsRefused() {
    for (String bad :
        List.of(
            "nothing\n", "name,colour\nx,red\n", "name,name\nx,y\n", "name\n\"open", "na\0me\n")) {
      ImportResult result = machines(bad);
      assertTrue(result.problemCount() > 0 && !result.stored(), bad);
    }
    assertThrows(ProblemException.class, () -> machines(" "));
    assertEquals(
        "site-is-no-list",
        assertThrows(
                ProblemException.class,
                () -> lists.machines("host", new CsvImport("name\nx\n", false, false), "e"))
            .code());
    Random random = new Random(5);
    for (int i = 0; i < 500; i++) {
      StringBuilder bad = new StringBuilder(TWO);
      for (int k = 0; k < 3; k++) {
        bad.setCharAt(random.nextInt(bad.length()), (char) random.nextInt(300));
      }
      lists.machines("boathouse", new CsvImport(bad.toString(), true, false), "engineer");
    }
    assertEquals(0, count("machine"));
  }

  @Test
  void aWholeListTellsWhoIsGoneAndADryRunNothingAtAll() {
    machines(TWO);
    String one = "name\nsluice-1\n";
    ImportResult asked = lists.machines("boathouse", new CsvImport(one, true, true), "engineer");
    assertEquals(1, asked.changed());
    assertEquals(1, asked.gone(), "who would be gone is told before it happens");
    assertEquals(0, count("machine where vanished_at is not null"));
    lists.machines("boathouse", new CsvImport(one, false, true), "engineer");
    assertEquals(1, count("machine where vanished_at is not null"));
    machines(TWO);
    assertEquals(0, count("machine where vanished_at is not null"), "it has returned");
    assertEquals(2, count("machine"));
  }

  @Test
  void aNameIsThatOfTheMachineThatIsThere() {
    db.run(
        s ->
            s.createNativeMutationQuery(
                    "insert into machine (id, site_id, platform_id, name, facts, first_seen, last_seen, vanished_at)"
                        + " select id, 'host', id, 'desk', '{\"platformId\":\"x\",\"name\":\"desk\",\"cpus\":2,"
                        + "\"memoryMib\":10,\"os\":\"\",\"firmware\":\"\",\"on\":true,\"fenced\":false,\"disks\":[],"
                        + "\"nics\":[],\"ingress\":[],\"labels\":{},\"owner\":\"\"}', now(), now(), gone"
                        + " from (values ('m-gone', now()), ('m-here', null), ('m-2', now())) as x (id, gone)")
                .executeUpdate());
    assertEquals("m-here", db.tx(s -> Machines.find(s, "desk")).id);
    assertEquals("m-gone", db.tx(s -> Machines.find(s, "m-gone")).id);
    db.run(s -> s.find(MachineEntity.class, "m-2").vanishedAt = null);
    assertEquals(
        "machine-ambiguous",
        assertThrows(ProblemException.class, () -> db.tx(s -> Machines.find(s, "desk"))).code());
  }

  @Test
  void aListedMachineIsTheOneThatItsPlatformTellsOf() {
    db.run(
        s ->
            s.createNativeMutationQuery(
                    "insert into machine (id, site_id, platform_id, name, facts, first_seen, last_seen) values"
                        + " ('m-1', 'host', 'dom-1', 'vm-1', '{\"platformId\":\"dom-1\",\"name\":\"vm-1\",\"cpus\":2,"
                        + "\"memoryMib\":10,\"os\":\"\",\"firmware\":\"\",\"on\":true,\"fenced\":false,\"disks\":[],"
                        + "\"nics\":[{\"network\":\"n\",\"address\":\"\",\"mac\":\"52:54:00:00:00:01\"}],"
                        + "\"ingress\":[],\"labels\":{},\"owner\":\"\"}', now(), now())")
                .executeUpdate());
    machines(TWO);
    assertEquals(2, count("machine"));
    assertEquals(2, machine("vm-1").sources().size());
  }

  @Test
  void twoThousandMachinesAreTakenOverAtOnce() {
    StringBuilder many = new StringBuilder("name,cpus,memory,disks,nics\n");
    for (int i = 0; i < 2000; i++) {
      many.append("m-")
          .append(i)
          .append(",2,4 GiB,10 GiB;20 GiB,net 10.1.")
          .append(i / 250)
          .append('.')
          .append(i % 250 + 1)
          .append('\n');
    }
    assertEquals(2000, machines(many.toString()).added());
    assertEquals(2000, count("machine"));
    long changes = count("machine_change");
    assertEquals(0, machines(many.toString()).changed());
    assertEquals(changes, count("machine_change"));
  }

  @Test
  void samplesComeToTheirPlace() {
    machines(TWO);
    String usage =
        """
        machine,time,seconds,cpu,memory
        sluice-1,2026-11-01T10:00:00Z,60,1,1000
        sluice-1,2026-11-01T10:01:00Z,60,2,
        sluice-1,2026-11-01T10:02:00Z,60,3,3000
        sluice-1,2026-11-01T10:05:00Z,300,0.5,
        """;
    ImportResult result =
        new UsageLists(db, events, CLOCK).usage(new CsvImport(usage, false, false), "engineer");
    assertEquals(List.of(), result.problems());
    assertEquals(4, result.rows());
    assertEquals(1, result.added(), "one machine's day");
    UsageView told =
        new Usages(db, CLOCK)
            .view("sluice-1", "2026-11-01T10:00:00Z", "2026-11-01T10:10:00Z", "100", 0);
    assertEquals(2, told.held());
    assertEquals(2, told.metrics().get(0).maximum(), 1e-6, "three minutes' mean");
    assertEquals(2000, told.metrics().get(1).maximum(), 1e-6);
    assertEquals(
        1,
        new UsageLists(db, events, CLOCK)
            .usage(new CsvImport(usage, true, false), "engineer")
            .changed());
  }

  @Test
  void badSamplesAreToldByLineAndNoneIsStored() {
    machines(TWO);
    ImportResult result =
        new UsageLists(db, events, CLOCK)
            .usage(
                new CsvImport(
                    """
                machine,time,seconds,cpu
                sluice-1,2026-11-01T10:00:00Z,300,1
                nobody,2026-11-01T10:00:00Z,300,1
                sluice-1,yesterday,300,1
                sluice-1,2031-01-01T10:00:00Z,300,1
                sluice-1,2026-11-01T10:00:00Z,3600,1
                sluice-1,2026-11-01T10:00:00Z,300,-1
                sluice-1,,300,
                """,
                    false,
                    false),
                "engineer");
    assertFalse(result.stored());
    assertEquals(
        List.of(3L, 4L, 5L, 6L, 7L, 8L),
        result.problems().stream().map(ImportResult.LineProblem::line).distinct().toList(),
        result.problems() + "");
    assertEquals(0, count("usage_day"));
  }

  @Test
  void aListOfConnectionsTakesThePlaceOfTheLast() {
    machines(TWO);
    String list =
        """
        client,server,port,process,count,bytes
        10.9.0.9,10.9.0.4,5432,postgres,7,1000
        10.9.0.9,10.9.0.4,5432,postgres,3,1
        192.0.2.1,10.9.0.4,443,,,
        """;
    assertEquals(
        3,
        new ConnectionLists(db, events, CLOCK)
            .connections("boathouse", new CsvImport(list, false, false), "engineer")
            .rows());
    assertEquals(1, count("connection where count = 10 and bytes = 1001"));
    assertEquals(2, count("connection"));
    new ConnectionLists(db, events, CLOCK)
        .connections("boathouse", new CsvImport(list, false, false), "engineer");
    assertEquals(1, count("connection where count = 10"), "and is not counted twice");
    ImportResult bad =
        new ConnectionLists(db, events, CLOCK)
            .connections(
                "boathouse",
                new CsvImport(
                    "client,server,port,protocol,first_seen,last_seen\n"
                        + "10.9.0.300,here,0,icmp,2026-11-02T00:00:00Z,2026-11-01T00:00:00Z\n",
                    false,
                    false),
                "engineer");
    assertEquals(5, bad.problemCount(), bad.problems() + "");
    assertEquals(2, count("connection"));
  }

  @Test
  void labelsThatManyGiveAtOnceAllStay() throws Exception {
    machines(TWO);
    Machines machines = new Machines(db, events);
    AtomicInteger next = new AtomicInteger();
    List<String> fared =
        AtOnce.fare(
            20,
            () -> {
              String name = "l" + next.incrementAndGet();
              return name.endsWith("7")
                  ? new LabelRules(db, events, CLOCK)
                      .list(
                          new CsvImport("machine,label." + name + "\nsluice-1,x\n", false, false),
                          "e")
                  : machines.label(
                      new LabelEdit(List.of("sluice-1"), "", Map.of(name, "x"), List.of()), "e");
            });
    assertEquals(Set.of("done"), Set.copyOf(fared));
    assertEquals(21, machine("sluice-1").labels().size(), machine("sluice-1").labels().toString());
  }

  @Test
  void labelsOfAListCountAsGivenByHand() {
    machines(TWO);
    LabelRules rules = new LabelRules(db, events, CLOCK);
    ImportResult bad =
        rules.list(
            new CsvImport("machine,label.owner\nnobody,x\nsluice-1,a\nsluice-1,b\n", false, false),
            "e");
    assertEquals(2, bad.problemCount(), bad.problems() + "");
    assertEquals(
        1,
        rules
            .list(
                new CsvImport("machine,label.owner\nsluice-1,Ada\nsluice-2,\n", false, false), "e")
            .changed());
    assertEquals("Ada", machine("sluice-1").labels().get("owner"));
    assertEquals(Set.of("owner"), machine("sluice-1").ownLabels());
  }

  @Test
  void aRuleMadeWhileAListIsTakenOverMissesNobody() throws Exception {
    LabelRules rules = new LabelRules(db, events, CLOCK);
    CountDownLatch taken = new CountDownLatch(1);
    CountDownLatch goOn = new CountDownLatch(1);
    ExecutorService two = Executors.newFixedThreadPool(2);
    try {
      Future<?> list =
          two.submit(
              () ->
                  db.run(
                      s -> {
                        machines("name,cpus\nb-1,2\n");
                        taken.countDown();
                        await(goOn);
                      }));
      await(taken);
      Future<LabelRuleView> rule =
          two.submit(() -> rules.add(new LabelRuleAdd("cpus >= 2", "size", "big"), "e"));
      long until = System.nanoTime() + Duration.ofSeconds(60).toNanos();
      while (!rule.isDone() && count("pg_locks where locktype = 'advisory' and not granted") == 0) {
        assertTrue(System.nanoTime() < until, "the rule is neither made nor waiting");
        Thread.onSpinWait();
      }
      goOn.countDown();
      list.get(60, TimeUnit.SECONDS);
      assertEquals(1, rule.get(60, TimeUnit.SECONDS).machines());
      assertEquals(Map.of("size", "big"), machine("b-1").labels());
    } finally {
      goOn.countDown();
      two.shutdownNow();
    }
  }

  private static void await(CountDownLatch latch) {
    try {
      assertTrue(latch.await(60, TimeUnit.SECONDS));
    } catch (InterruptedException e) {
      throw new IllegalStateException(e);
    }
  }

  @Test
  void rulesLabelWhoeverTheirFilterChoosesNowAndLater() {
    machines("name,cpus,label.app\na-1,2,platform\n");
    LabelRules rules = new LabelRules(db, events, CLOCK);
    LabelRuleView big = rules.add(new LabelRuleAdd("cpus >= 2", "size", "big"), "e");
    assertEquals(1, big.machines());
    rules.add(new LabelRuleAdd("name has a", "size", "named"), "e");
    rules.add(new LabelRuleAdd("label.app = platform", "app", "ruled"), "e");
    LabelRuleView chained = rules.add(new LabelRuleAdd("label.size = big", "x", "y"), "e");
    assertEquals(0, chained.machines(), "rules don't see what rules give");
    assertEquals(Map.of("app", "ruled", "size", "big"), machine("a-1").labels());
    // Who turns up later is labelled, too, and who is no more chosen loses the label.
    machines("name,cpus\na-2,1\n");
    assertEquals(Map.of("size", "named"), machine("a-2").labels());
    machines("name,cpus,label.app\na-1,1,platform\n");
    assertEquals("named", machine("a-1").labels().get("size"));
    new Machines(db, events)
        .label(new LabelEdit(List.of("a-1"), "", Map.of("size", "by-hand"), List.of()), "e");
    assertEquals("by-hand", machine("a-1").labels().get("size"));
    assertEquals(Set.of("app"), machine("a-1").ruledLabels());
    rules.list().forEach(r -> rules.remove(r.id(), "e"));
    assertEquals(Map.of("app", "platform", "size", "by-hand"), machine("a-1").labels());
    assertEquals(Map.of(), machine("a-2").labels());
    assertThrows(
        ProblemException.class, () -> rules.add(new LabelRuleAdd("cpus >>", "a", "b"), "e"));
    assertThrows(ProblemException.class, () -> rules.remove("lr-none", "e"));
  }
}
