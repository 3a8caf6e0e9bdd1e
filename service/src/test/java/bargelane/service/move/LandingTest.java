package bargelane.service.move;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertInstanceOf;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyInt;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.doNothing;
import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.inOrder;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.times;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.api.ConsoleView;
import bargelane.core.finding.Action;
import bargelane.core.lane.Rule;
import bargelane.core.lane.RuleScope;
import bargelane.core.lane.Setting;
import bargelane.core.replication.LegState;
import bargelane.core.site.Inventory;
import bargelane.core.wave.ProbePlan;
import bargelane.service.lane.Lanes;
import bargelane.service.platform.Json;
import bargelane.service.replication.Berth;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.Side;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunEntity;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import bargelane.sites.Compute;
import bargelane.sites.SiteException;
import bargelane.sites.Target;
import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.ServerSocket;
import java.nio.charset.StandardCharsets;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.mockito.InOrder;

/** Each step of a landing, driven again as after a kill, against platforms that are only told. */
class LandingTest extends MovesFixture {

  private static final String CLONE = "bl-run-ledger-d0";

  private void started(String machine) {
    Work w = work();
    w.put(MoveNotes.MACHINES, Map.of("mem", machine));
    w.put(MoveNotes.rank(1), now);
  }

  /** A service that answers with a body until the test closes it. */
  private HttpServer answering(String body) throws Exception {
    HttpServer server =
        HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    server.createContext(
        "/",
        x -> {
          byte[] bytes = body.getBytes(StandardCharsets.UTF_8);
          x.sendResponseHeaders(200, bytes.length);
          x.getResponseBody().write(bytes);
          x.close();
        });
    server.start();
    when(away.compute.wayIn(any(), anyInt()))
        .thenReturn(new Compute.WayIn("127.0.0.1", server.getAddress().getPort(), true));
    return server;
  }

  /** As if nothing had answered yet. */
  private Outcome startRank() {
    Work w = work();
    w.put(MoveNotes.ANSWERED, Map.of());
    List<Step> steps = landing.startSteps(w, Side.AWAY);
    assertEquals(List.of("start-1"), steps.stream().map(Step::name).toList());
    return steps.get(0).action().run(w);
  }

  @Test
  void aCloneIsRecordedBeforeItIsMadeAndMadeFromThePointThatWasChosenFirst() {
    doThrow(new SiteException(SiteException.Kind.FINAL, "no-space", "the pool is full", null))
        .doNothing()
        .when(away.target)
        .cloneVolume(any(), any(), any(), any(), any());
    assertThrows(SiteException.class, () -> landing.cloneVolumes(work(), Side.AWAY));
    assertTrue(recorded().contains("away volume " + CLONE), "what may be there is recorded");
    assertEquals("from point 1 as of 2026-11-02T07:59:51Z", done(landing, work()));
    verify(away.target, times(2))
        .cloneVolume(CLONE, "bargelane/in-test/tow", "shelf", "pass-1", "replica-0");
  }

  private static String done(Landing landing, Work w) {
    return ((Outcome.Done) landing.cloneVolumes(w, Side.AWAY)).detail();
  }

  @Test
  void aMachineIsMadeFromThePlanOnClonesOnly() {
    when(away.compute.define(any())).thenReturn("new-1");
    landing.define(work(), Side.AWAY);
    landing.define(work(), Side.AWAY);
    verify(away.compute, times(2))
        .define(
            org.mockito.ArgumentMatchers.argThat(
                spec ->
                    spec.name().equals("ledger")
                        && spec.disks().equals(List.of(CLONE))
                        && spec.owner().equals("bargelane/in-test/tow")));
    assertEquals(Map.of("mem", "new-1"), work().need(MoveNotes.MACHINES));
  }

  /**
   * A name that is decided between the making and the backing out changes nothing of what is made.
   */
  @Test
  void aMachineIsCalledAndRemovedByTheNameThatItWasMadeUnder() {
    when(away.compute.define(any())).thenReturn("new-1");
    named("books");
    db.run(
        s ->
            s.createNativeMutationQuery(
                    "insert into lane_rule (lane_id, scope, subject, part, setting, value, machine_id)"
                        + " values ('lane', 'machine', 'm-1', -1, 'ingress', 'tcp/80 from any', 'm-1')")
                .executeUpdate());
    landing.define(work(), Side.AWAY);
    verify(away.compute)
        .define(
            org.mockito.ArgumentMatchers.argThat(
                x -> x.ingress().equals(List.of(new Inventory.Ingress("tcp", 80, "")))));
    verify(away.compute)
        .define(org.mockito.ArgumentMatchers.argThat(x -> x.name().equals("books")));
    assertTrue(recorded().contains("away machine books"), recorded().toString());
    named("other");
    landing.define(work(), Side.AWAY);
    assertEquals(
        List.of("away machine books"),
        recorded().stream().filter(r -> r.contains("machine")).toList());
    when(away.target.owned(any()))
        .thenReturn(
            List.of(new Target.Owned("machine", "new-1", "books", "bargelane/in-test/tow")));
    assertInstanceOf(Outcome.Done.class, landing.undoTarget(work(), Side.AWAY));
    verify(away.compute).remove("new-1");
    assertEquals(List.of(), recorded().stream().filter(r -> r.contains("machine")).toList());
  }

  private void named(String name) {
    db.run(
        s ->
            s.createNativeMutationQuery(
                    "insert into lane_rule (lane_id, scope, subject, part, setting, value, machine_id)"
                        + " values ('lane', 'machine', 'm-1', -1, 'name', :name, 'm-1')"
                        + " on conflict (lane_id, scope, subject, part, setting, volume)"
                        + " do update set value = excluded.value")
                .setParameter("name", name)
                .executeUpdate());
  }

  @Test
  void aMachineThatStandsThereGetsTheClonesAndItsOwnDisksAreKept() {
    for (int life = 0; life < 2; life++) {
      landing.define(work(), Side.HOME);
    }
    verify(home.compute, never()).define(any());
    verify(home.compute, times(2)).attach("p-1", List.of(CLONE));
    verify(home.target).own("vol-0", "bargelane/in-test/tow");
    assertEquals(
        new Berth("p-1", List.of("vol-0"), List.of()),
        work().notes().get(MoveNotes.PREVIOUS, "mem").orElseThrow());
    assertTrue(recorded().contains("home volume vol-0"));
  }

  @Test
  void takingBackGivesAMachineItsOwnDisksBeforeTheClonesGo() {
    landing.define(work(), Side.HOME);
    landing.arm(work(), Side.HOME);
    services.ledger().plan("home", "tow", "volume", CLONE);
    for (int life = 0; life < 2; life++) {
      assertInstanceOf(Outcome.Done.class, landing.undoTarget(work(), Side.HOME));
    }
    InOrder order = inOrder(home.compute, home.target, home.source);
    order.verify(home.compute).stop("p-1");
    order.verify(home.compute).attach("p-1", List.of("vol-0"));
    order.verify(home.compute).fence("p-1");
    order.verify(home.target).own("vol-0", "");
    order.verify(home.source).forgetMarker("bl-run-arm");
    order.verify(home.target).deleteVolume(CLONE);
    verify(home.target, never()).deleteVolume("vol-0");
    assertEquals(
        List.of(
            "away point pass-1",
            "away volume replica-0",
            "away volume replica-0-digests",
            "home marker mark"),
        recorded());
  }

  @Test
  void nothingIsTakenBackWhileAMachineThatWasStartedMayStillRun() {
    started("new-1");
    services.ledger().plan("away", "tow", "machine", "ledger");
    services.ledger().plan("away", "tow", "volume", CLONE);
    doThrow(AWAY).when(away.compute).stop("new-1");
    assertEquals(
        "ledger may still run at away and starts nowhere else until it is off: the site is away",
        ((Outcome.Wait) landing.undoTarget(work(), Side.AWAY)).detail());
    verify(away.target, never()).deleteVolume(any());
    doNothing().when(away.compute).stop("new-1");
    assertInstanceOf(Outcome.Done.class, landing.undoTarget(work(), Side.AWAY));
    verify(away.target).deleteVolume(CLONE);
    doThrow(new SiteException(SiteException.Kind.FINAL, "missing", "there is no new-1", null))
        .when(away.compute)
        .stop("new-1");
    assertInstanceOf(
        Outcome.Done.class, landing.undoTarget(work(), Side.AWAY), "a machine that is gone is off");
  }

  @Test
  void nothingStartsElsewhereBeforeWhatWasMadeIsGone() {
    started("new-1");
    services.ledger().plan("away", "tow", "machine", "ledger");
    // It is off, but the site does not let it go: anybody there could start it.
    when(away.target.owned(any()))
        .thenReturn(
            List.of(
                new Target.Owned("machine", "new-1", "ledger", services.ledger().owner("tow"))));
    doThrow(new SiteException(SiteException.Kind.FINAL, "denied", "not permitted", null))
        .when(away.compute)
        .remove("new-1");
    assertEquals(
        "ledger can't be removed from away: not permitted",
        ((Outcome.Wait) landing.undoTarget(work(), Side.AWAY)).detail());
    doNothing().when(away.compute).remove("new-1");
    assertInstanceOf(Outcome.Done.class, landing.undoTarget(work(), Side.AWAY));
  }

  @Test
  void aSiteThatIsDeclaredLostIsNotWaitedForAndIsSeenToWhenItIsBack() {
    landing.define(work(), Side.HOME);
    started("p-1");
    doThrow(AWAY).when(home.compute).stop("p-1");
    assertInstanceOf(Outcome.Wait.class, landing.undoTarget(work(), Side.HOME));
    db.run(s -> Lost.declare(s, "run", Side.HOME, "engineer"));
    for (int life = 0; life < 2; life++) {
      assertEquals(
          "home was declared lost by engineer",
          ((Outcome.Done) landing.undoTarget(work(), Side.HOME)).detail());
    }
    assertTrue(recorded().contains("home started p-1 to be removed"), recorded().toString());
    verify(home.compute, never()).fence("p-1");
    doNothing().when(home.compute).stop("p-1");
    services.ledger().sweep();
    verify(home.compute).fence("p-1");
    assertTrue(recorded().stream().noneMatch(r -> r.contains("started")), recorded().toString());
  }

  @Test
  void aRunThatIsBackedOutEndsThePassThatItMakes() {
    assertInstanceOf(Outcome.Done.class, moves.endOwn(work()));
    db.run(s -> begun(s, "own", "pass", "run"));
    db.run(s -> begun(s, "timetables", "pass", null));
    assertInstanceOf(Outcome.Wait.class, moves.endOwn(work()));
    verify(services.runs()).giveUp(eq("own"), any(), any());
    verify(services.runs(), never()).giveUp(eq("timetables"), any(), any());
    db.run(s -> s.find(RunEntity.class, "own").endedAt = now);
    assertInstanceOf(Outcome.Done.class, moves.endOwn(work()));
  }

  @Test
  void anUndoThatCannotStopAllStartsAgainWhatItStopped() {
    UndoRun undo = new UndoRun(services, moves, turning, landing, new Carrying(services, moves));
    assertEquals(List.of("resume"), undo.backOut(work()).stream().map(Step::name).toList());
    work().put(MoveNotes.STOPPED_AT, now);
    List<Step> back = undo.backOut(work());
    assertEquals(List.of("restart", "resume"), back.stream().map(Step::name).toList());
    assertTrue(back.get(0).untilDone());
    assertTrue(undo.holdsOn(work()).isPresent(), "it is not stopped by hand there");
  }

  @Test
  void onlyWhatTheRunStoppedIsStartedAgain() {
    assertEquals("none was stopped", ((Outcome.Done) moves.restart(work(), Side.HOME)).detail());
    verify(home.compute, never()).start(any());
    doThrow(AWAY).when(home.compute).fence("p-1");
    assertThrows(SiteException.class, () -> moves.stop(work(), Side.HOME));
    when(home.compute.wayIn(any(), anyInt())).thenReturn(new Compute.WayIn("127.0.0.1", 1, true));
    assertInstanceOf(Outcome.Wait.class, moves.restart(work(), Side.HOME), "until it answers");
    InOrder order = inOrder(home.compute);
    order.verify(home.compute).stop("p-1");
    order.verify(home.compute).unfence("p-1");
    order.verify(home.compute).start("p-1");
  }

  /** What was off before a move is off again when it is backed out, and nobody is kept from it. */
  @Test
  void whatWasOffIsNotStartedWhenAMoveIsBackedOut() {
    when(home.compute.machine("p-1")).thenReturn(facts("vol-0", false));
    moves.stop(work(), Side.HOME);
    // Whoever goes on with the run finds it off, as it is then in any case.
    when(home.compute.machine("p-1")).thenReturn(facts("vol-0", true));
    moves.stop(work(), Side.HOME);
    assertEquals(Outcome.done("off as before: ledger"), moves.restart(work(), Side.HOME));
    verify(home.compute).unfence("p-1");
    verify(home.compute, never()).start("p-1");
  }

  @Test
  void whatAVersionBeforeHasStoppedIsStartedWhenTheMoveIsBackedOut() {
    work().put(MoveNotes.STOPPED, "mem", true);
    when(home.compute.machine("p-1")).thenReturn(facts("vol-0", false));
    moves.stop(work(), Side.HOME);
    when(home.compute.wayIn(any(), anyInt())).thenReturn(new Compute.WayIn("127.0.0.1", 1, true));
    moves.restart(work(), Side.HOME);
    verify(home.compute).start("p-1");
  }

  @Test
  void aMachineThatIsKeptOffLandsAndIsNotStarted() {
    db.run(
        s ->
            Lanes.decided(
                s,
                "lane",
                List.of(new Rule(RuleScope.MACHINE, "m-1", Rule.WHOLE, Setting.POWER, "off"))));
    started("new-1");
    Step start = landing.startSteps(work(), Side.AWAY).get(0);
    assertEquals(Outcome.done("kept off: ledger"), start.action().run(work()));
    verify(away.compute).unfence("new-1");
    verify(away.compute, never()).start(any());
    Map<String, Object> record = new HashMap<>();
    landing.tell(work(), record);
    assertEquals(Map.of("keptOff", List.of("ledger")), record);
  }

  @Test
  void landingIsRecordedOnceWithTheDisksOfBefore() {
    started("new-1");
    for (int life = 0; life < 2; life++) {
      Work w = work();
      moves.legId(w);
      db.run(s -> landing.land(s, w, Side.AWAY));
      Berth there = berth(Side.AWAY);
      assertEquals(new Berth("new-1", List.of(CLONE), List.of()), there);
    }
    assertTrue(state().tow.landed);
    assertEquals(LegState.CLOSED, db.tx(s -> s.find(LegEntity.class, "leg-1")).state);
  }

  @Test
  void aSecondLandingKeepsTheDisksThatItReplaces() {
    stands(Side.AWAY, new Berth("new-1", List.of("old-clone"), List.of()));
    started("new-1");
    for (int life = 0; life < 2; life++) {
      Work w = work();
      moves.legId(w);
      db.run(s -> landing.land(s, w, Side.AWAY));
    }
    assertEquals(new Berth("new-1", List.of(CLONE), List.of("old-clone")), berth(Side.AWAY));
  }

  @Test
  void aMachineIsUpWhenItAnswersAsItself() throws Exception {
    started("new-1");
    HttpServer server = answering("{\"machine\":\"ledger\"}");
    try {
      assertEquals("healthy: ledger", ((Outcome.Done) startRank()).detail());
      InOrder order = inOrder(away.compute);
      order.verify(away.compute).unfence("new-1");
      order.verify(away.compute).start("new-1");
      assertEquals(now, work().need(MoveNotes.UP_AT));
    } finally {
      server.stop(0);
    }
  }

  @Test
  void aMachineThatAnswersAsAnotherIsWaitedForAndThenGivenUp() throws Exception {
    started("new-1");
    HttpServer server = answering("{\"machine\":\"stranger\"}");
    try {
      assertEquals(
          "ledger answered status 200 as 'stranger'", ((Outcome.Wait) startRank()).detail());
      now = now.plusSeconds(181);
      RunFailure failure = assertThrows(RunFailure.class, this::startRank);
      assertEquals("probe-failed", failure.code());
      assertTrue(failure.getMessage().startsWith("ledger did not become healthy within 3m"));
    } finally {
      server.stop(0);
    }
  }

  private void consoleTells(String text) {
    when(away.compute.console(any(), anyInt()))
        .thenReturn(Optional.of(text.getBytes(StandardCharsets.UTF_8)));
  }

  @Test
  void aGuestWhoseConsoleTellsItsEndIsNotWaitedFor() throws Exception {
    started("new-1");
    HttpServer server = answering("{\"machine\":\"ledger\"}");
    server.stop(0);
    consoleTells("\u001b[0mLinux version 6.1\r\nledger login: ");
    assertTrue(
        ((Outcome.Wait) startRank()).detail().contains("came up to its login (\"ledger login:\")"));
    consoleTells(
        "[    1.20] Kernel panic - not syncing: VFS: Unable to mount root fs on (0,0)\r\n");
    RunFailure failure = assertThrows(RunFailure.class, this::startRank);
    assertEquals("start-failed", failure.code());
    assertTrue(failure.getMessage().contains("does not find the disk of its root file system"));
    assertEquals(Optional.of(Action.RUN_CONSOLE), failure.remedy().action());
    List<ConsoleView> kept = new Consoles(db, clock).of(work().runId());
    assertEquals(1, kept.size());
    assertEquals("ledger", kept.get(0).machine());
    assertEquals("no-root-disk", kept.get(0).sign());
    assertTrue(kept.get(0).text().startsWith("[    1.20] Kernel panic"));
    assertEquals(1, new Consoles(db, clock).changing().size());
  }

  @Test
  void aConsoleThatCanNotBeReadFailsNoStart() throws Exception {
    started("new-1");
    HttpServer server = answering("{\"machine\":\"ledger\"}");
    try {
      when(away.compute.console(any(), anyInt()))
          .thenThrow(new SiteException(SiteException.Kind.FINAL, "host-command", "no", null));
      assertInstanceOf(Outcome.Done.class, startRank());
    } finally {
      server.stop(0);
    }
  }

  // ---- probes

  private void probed(ProbePlan plan) {
    db.run(s -> s.find(MemberEntity.class, "mem").probe = Json.text(plan));
  }

  @Test
  void aMachineIsProbedAsItsPlanSays() throws Exception {
    started("new-1");
    try (ServerSocket silent = new ServerSocket(0, 5, InetAddress.getLoopbackAddress())) {
      when(away.compute.wayIn("new-1", 5432))
          .thenReturn(new Compute.WayIn("127.0.0.1", silent.getLocalPort(), true));
      probed(new ProbePlan(ProbePlan.Kind.TCP, 5432, "/", 600));
      assertInstanceOf(Outcome.Done.class, startRank(), "it accepts, and keeps the connection");
      when(away.compute.wayIn("new-1", 5432))
          .thenReturn(new Compute.WayIn("127.0.0.1", silent.getLocalPort(), false));
      assertTrue(((Outcome.Wait) startRank()).detail().contains("accepted by what forwards them"));
    }
    now = now.plusSeconds(599);
    assertTrue(((Outcome.Wait) startRank()).detail().startsWith("ledger does not answer yet"));
    now = now.plusSeconds(2);
    assertTrue(
        assertThrows(RunFailure.class, this::startRank)
            .getMessage()
            .startsWith("ledger did not become healthy within 10m"));
    probed(new ProbePlan(ProbePlan.Kind.NONE, 0, "/", 180));
    assertInstanceOf(Outcome.Done.class, startRank());
  }

  @Test
  void aConnectionThatIsClosedAtOnceIsNoAnswer() throws Exception {
    started("new-1");
    probed(new ProbePlan(ProbePlan.Kind.TCP, 0, "/", 180));
    try (ServerSocket closing = new ServerSocket(0, 5, InetAddress.getLoopbackAddress())) {
      Thread closer =
          new Thread(
              () -> {
                try {
                  closing.accept().close();
                } catch (IOException e) {
                  throw new UncheckedIOException(e);
                }
              });
      closer.start();
      when(away.compute.wayIn(any(), anyInt()))
          .thenReturn(new Compute.WayIn("127.0.0.1", closing.getLocalPort(), true));
      assertTrue(((Outcome.Wait) startRank()).detail().contains("closes connections"));
      closer.join();
    }
  }

  @Test
  void aPathIsAskedForAndAnErrorIsNoAnswer() throws Exception {
    started("new-1");
    HttpServer server = answering("{}");
    try {
      server.createContext(
          "/ready",
          x -> {
            x.sendResponseHeaders(503, -1);
            x.close();
          });
      assertInstanceOf(Outcome.Done.class, startRank());
      probed(new ProbePlan(ProbePlan.Kind.HTTP, 0, "/ready", 180));
      assertEquals("ledger answered status 503", ((Outcome.Wait) startRank()).detail());
    } finally {
      server.stop(0);
    }
  }
}
