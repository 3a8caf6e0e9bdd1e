package bargelane.service.overview;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.ApprovalAsk;
import bargelane.api.Overview;
import bargelane.core.run.RunState;
import bargelane.service.approval.Approvals;
import bargelane.service.assess.SizeChoices;
import bargelane.service.http.Reach;
import bargelane.service.machine.MachineEntity;
import bargelane.service.move.Dossiers;
import bargelane.service.move.MovesFixture;
import bargelane.service.plan.WaveSizes;
import bargelane.service.plan.Waves;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.ReplicationViews;
import bargelane.service.run.RunEntity;
import bargelane.service.run.Runs;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.hibernate.Session;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.function.Executable;

/** What an account sees that is limited to the machines of one application. */
class OwnMachinesTest extends MovesFixture {

  private static final String BOOKS = "label.app = books";

  private OwnMachines own;
  private Waves waves;

  @BeforeEach
  void label() {
    own = new OwnMachines(db);
    waves =
        new Waves(
            services, new SizeChoices(db, new WaveSizes(), services.events(), services.clock()));
    db.run(s -> label(s, "m-1", "books"));
  }

  private static void label(Session s, String machine, String app) {
    s.find(MachineEntity.class, machine).ownLabels = Json.text(Map.of("app", app));
  }

  private boolean wave(String machines) {
    return own.holds(Reach.WAVE, "w", machines);
  }

  /** Another application's machine, in the same wave. */
  private void another() {
    db.run(
        s -> {
          MachineEntity first = s.find(MachineEntity.class, "m-1");
          MachineEntity m = new MachineEntity();
          m.id = "m-2";
          m.siteId = first.siteId;
          m.platformId = "p-2";
          m.name = "till";
          m.facts = first.facts.replace("p-1", "p-2").replace("ledger", "till");
          m.ownLabels = Json.text(Map.of("app", "shop"));
          m.firstSeen = now;
          m.lastSeen = now;
          s.persist(m);
          MemberEntity of = s.find(MemberEntity.class, "mem");
          MemberEntity member = new MemberEntity();
          member.id = "mem-2";
          member.towId = of.towId;
          member.machineId = "m-2";
          member.name = "till";
          member.rank = 1;
          member.size = of.size;
          member.sizeBasis = of.sizeBasis;
          member.home = of.home;
          member.away = of.away;
          s.persist(member);
        });
  }

  @Test
  void aMachineIsTheirsAsLongAsTheFilterChoosesIt() {
    assertTrue(own.holds(Reach.MACHINE, "ledger", BOOKS));
    assertTrue(own.holds(Reach.MACHINE, "m-1", BOOKS));
    assertFalse(own.holds(Reach.MACHINE, "ledger", "label.app = shop"));
    assertFalse(own.holds(Reach.MACHINE, "nobody", BOOKS));
    assertTrue(wave(BOOKS));
    db.run(s -> label(s, "m-1", "shop"));
    assertFalse(own.holds(Reach.MACHINE, "ledger", BOOKS));
    assertFalse(wave(BOOKS));
  }

  @Test
  void aWaveIsTheirsIfAllItsMachinesAre() {
    assertTrue(wave(BOOKS));
    another();
    assertFalse(wave(BOOKS), "the other machine is of somebody else");
    assertTrue(wave("label.app among (books, shop)"));
    assertTrue(wave("label.app = books or name = till"));
    assertEquals(Set.of(), own.tows("label.app = shop"));
  }

  @Test
  void runsAndApprovalsGoWithTheirWave() {
    Approvals approvals = new Approvals(services, waves);
    String approval = approvals.ask("w", new ApprovalAsk("cutover", ""), "mo").id();
    String tow = db.tx(s -> s.find(MemberEntity.class, "mem").towId);
    db.run(s -> run(s, "r-own", tow));
    db.run(s -> run(s, "r-site", "home"));
    assertTrue(own.holds(Reach.APPROVAL, approval, BOOKS));
    assertTrue(own.holds(Reach.RUN, "r-own", BOOKS));
    assertFalse(own.holds(Reach.RUN, "r-site", BOOKS), "a scan of the site is of all machines");
    assertFalse(own.holds(Reach.RUN, "nothing", BOOKS));
    assertFalse(own.holds(Reach.APPROVAL, "nothing", BOOKS));
    assertFalse(own.holds(Reach.APPROVAL, approval, "label.app = shop"));
    Optional<Set<String>> tows = Optional.of(own.tows(BOOKS));
    assertEquals(1, approvals.list("", tows, true).size());
    assertEquals(0, approvals.list("", Optional.of(Set.of()), true).size());
    assertEquals(1, approvals.list("w", tows, true).size());
    for (Executable asked :
        List.<Executable>of(
            () -> approvals.list("w", Optional.of(Set.of()), true),
            () -> new Dossiers(db).list("w", Optional.of(Set.of())))) {
      assertEquals(404, assertThrows(ProblemException.class, asked).status(), "not told apart");
    }
    assertTrue(
        new Runs(db).list(tows, false, false, 9).stream().allMatch(r -> r.subject().equals("w")));
    assertTrue(new Runs(db).list(Optional.of(Set.of()), false, true, 9).isEmpty());
  }

  private void run(Session s, String id, String subject) {
    RunEntity r = new RunEntity();
    r.id = id;
    r.kind = "test";
    r.title = "Test";
    r.subjectKind = "wave";
    r.subjectId = subject;
    r.subjectName = subject.equals("home") ? "home" : "w";
    r.state = RunState.DONE;
    r.input = "{}";
    r.notes = "{}";
    r.startedBy = "mo";
    r.startedAt = now;
    r.endedAt = now;
    s.persist(r);
  }

  @Test
  void theOverviewShowsTheirsAlone() {
    OverviewPage page =
        new OverviewPage(
            db,
            services.events(),
            new WavePages(db, waves, new ReplicationViews(db, services.clock()), services.clock()),
            services.clock());
    db.run(
        s -> {
          services.events().tell(s, "site", "home", null, "home was scanned", null);
          services
              .events()
              .tell(s, "wave", s.find(MemberEntity.class, "mem").towId, null, "w rests", null);
        });
    Overview theirs = page.view(Optional.of(own.tows(BOOKS)), BOOKS);
    assertEquals(1, theirs.waves().size());
    assertEquals(1, theirs.machines());
    assertEquals(List.of("w rests"), theirs.recent().stream().map(e -> e.text()).toList());
    Overview others = page.view(Optional.of(own.tows("name = no")), "name = no");
    assertEquals(0, others.waves().size());
    assertEquals(0, others.machines());
    assertEquals(List.of(), others.needs());
    assertEquals(List.of(), others.recent());
    assertEquals(2, page.view(Optional.empty(), "").recent().size());
  }
}
