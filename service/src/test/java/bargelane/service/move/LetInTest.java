package bargelane.service.move;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertInstanceOf;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.anyInt;
import static org.mockito.ArgumentMatchers.anyString;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.core.lane.Rule;
import bargelane.core.lane.RuleScope;
import bargelane.core.lane.Setting;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.Ingress;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Offers;
import bargelane.service.lane.Lanes;
import bargelane.service.replication.Berth;
import bargelane.service.replication.Side;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Work;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** Who gets through to a machine that has landed where the target filters. */
class LetInTest extends MovesFixture {

  private static final Ingress STAFF = new Ingress("tcp", 5432, "10.20.1.0/24");

  private LetIn letIn;

  @BeforeEach
  void filtered() {
    letIn = new LetIn(services, moves);
    Inventory told = seen("vol-0");
    db.run(
        s ->
            new Inventories(s)
                .store(
                    s.find(SiteEntity.class, "away"),
                    new Inventory(
                        told.machines(),
                        told.networks(),
                        told.storages(),
                        told.sizes(),
                        told.zones(),
                        told.quota(),
                        new Offers(null, List.of(), false, true))));
    when(away.compute.define(any())).thenReturn("new-1");
    when(away.compute.machine("new-1")).thenReturn(letting(List.of()));
  }

  private static MachineFacts letting(List<Ingress> rules) {
    MachineFacts f = facts("vol-0");
    return new MachineFacts(
        f.platformId(),
        f.name(),
        f.cpus(),
        f.memoryMib(),
        f.os(),
        f.firmware(),
        f.on(),
        f.fenced(),
        f.disks(),
        f.nics(),
        rules,
        f.labels(),
        "",
        null,
        null);
  }

  private void decided(String ingress) {
    db.run(
        s ->
            Lanes.decided(
                s,
                "lane",
                List.of(new Rule(RuleScope.MACHINE, "m-1", Rule.WHOLE, Setting.INGRESS, ingress))));
  }

  private void through(String from, boolean gets) {
    when(away.compute.reached("10.0.0.7", 5432, from)).thenReturn(Optional.of(gets));
  }

  private Outcome look(boolean mayBeShut) {
    Work w = work();
    w.once(MoveNotes.rank(1), () -> now);
    return letIn.look(w, Side.AWAY, 1, state().members, away.compute, mayBeShut);
  }

  private List<String> dossier() {
    Map<String, Object> record = new HashMap<>();
    letIn.tell(work(), record);
    @SuppressWarnings("unchecked")
    Map<String, List<String>> tried =
        (Map<String, List<String>>) record.getOrDefault("letIn", Map.of());
    return tried.getOrDefault("ledger", List.of());
  }

  @Test
  void aMachineCountsAsStartedWhenThoseGetThroughWhoAreToBeLetIn() {
    decided("tcp/5432 from 10.20.1.0/24");
    landing.define(work(), Side.AWAY);
    through("10.20.1.1", false);
    through("203.0.113.1", false);
    Outcome waits = look(false);
    assertEquals(
        "ledger answers, but 10.20.1.1 does not get through to it at tcp/5432, though away is to"
            + " let in tcp/5432 from 10.20.1.0/24",
        ((Outcome.Wait) waits).detail());
    through("10.20.1.1", true);
    assertEquals(Outcome.done("ledger was tried from outside by 2 connections"), look(false));
    assertEquals(
        List.of(
            "tcp/5432 from 10.20.1.0/24: 10.20.1.1 gets through",
            "tcp/5432 from elsewhere: 203.0.113.1 is shut out"),
        dossier());
  }

  @Test
  void aMoveThatNobodyCanReachEndsAndAFailoverSaysSo() {
    decided("tcp/5432 from 10.20.1.0/24");
    landing.define(work(), Side.AWAY);
    through("10.20.1.1", false);
    assertInstanceOf(Outcome.Wait.class, look(false));
    now = now.plusSeconds(181);
    RunFailure shut = assertThrows(RunFailure.class, () -> look(false));
    assertEquals("shut-out", shut.code());
    assertTrue(shut.getMessage().endsWith(", and 3m have passed"), shut.getMessage());
    Outcome up = look(true);
    assertTrue(((Outcome.Done) up).detail().contains("does not get through"), up.toString());
  }

  @Test
  void aStrangerWhoGetsThroughIsTold() {
    decided("tcp/5432 from 10.20.1.0/24");
    landing.define(work(), Side.AWAY);
    through("10.20.1.1", true);
    through("203.0.113.1", true);
    Outcome done = look(false);
    assertTrue(
        ((Outcome.Done) done)
            .detail()
            .contains("203.0.113.1, whom no rule names, gets through to ledger at tcp/5432"),
        done.toString());
  }

  /** What is accepted is applied with the landing, whichever it is. */
  @Test
  void aMachineThatStandsThereIsGivenWhatWasDecidedSince() {
    stands(Side.AWAY, new Berth("new-1", List.of("old-clone"), List.of()));
    when(away.compute.machine("new-1")).thenReturn(letting(List.of(STAFF)));
    landing.define(work(), Side.AWAY);
    verify(away.compute, never()).letIn(any(), any());
    assertEquals(List.of(STAFF), work().need(MoveNotes.RULES).get("mem"), "it keeps what it has");
    decided("tcp/22 from any");
    landing.define(work(), Side.AWAY);
    verify(away.compute).letIn("new-1", List.of(new Ingress("tcp", 22, "")));
  }

  /** A cutover that is backed out leaves a machine that stood there as it was. */
  @Test
  void aMachineThatStoodThereLetsInWhomItLetInBefore() {
    stands(Side.AWAY, new Berth("new-1", List.of("old-clone"), List.of()));
    List<Ingress> decided = List.of(new Ingress("tcp", 22, ""));
    when(away.compute.machine("new-1")).thenReturn(letting(List.of(STAFF)));
    decided("tcp/22 from any");
    landing.define(work(), Side.AWAY);
    when(away.compute.machine("new-1")).thenReturn(letting(decided));
    landing.define(work(), Side.AWAY);
    landing.undoTarget(work(), Side.AWAY);
    verify(away.compute).letIn("new-1", decided);
    verify(away.compute).letIn("new-1", List.of(STAFF));
  }

  @Test
  void nothingIsTriedWhereNothingFiltersOrNobodyCan() {
    decided("tcp/5432 from 10.20.1.0/24");
    landing.define(work(), Side.AWAY);
    assertEquals(Outcome.done(""), look(false), "the platform offers no way to try it");
    assertEquals(List.of(), dossier());
    Inventory open = seen("vol-0");
    db.run(s -> new Inventories(s).store(s.find(SiteEntity.class, "away"), open));
    Work w = work();
    w.put(MoveNotes.RULES, Map.of());
    landing.define(w, Side.AWAY);
    assertEquals(Map.of(), work().need(MoveNotes.RULES));
    look(false);
    verify(away.compute, never()).reached(anyString(), anyInt(), eq("198.51.100.1"));
  }

  @Test
  void eachRuleIsTriedFromAnAddressOfItsOwnKind() {
    List<LetIn.Try> all =
        LetIn.tries(
            List.of(
                STAFF,
                new Ingress("tcp", 80, ""),
                new Ingress("tcp", 81, "0.0.0.0/0"),
                new Ingress("tcp", 22, "10.20.4.9/32"),
                new Ingress("tcp", 443, "fd00:20::/64"),
                new Ingress("udp", 53, "")),
            List.of("10.0.0.7", "fd00::7"));
    assertEquals(
        List.of(
            "5432 10.20.1.1 > 10.0.0.7",
            "80 198.51.100.1 > 10.0.0.7",
            "81 198.51.100.1 > 10.0.0.7",
            "22 10.20.4.9 > 10.0.0.7",
            "443 fd00:20::1 > fd00::7",
            "5432 203.0.113.1 > 10.0.0.7",
            "22 203.0.113.1 > 10.0.0.7",
            "443 203.0.113.1 > 10.0.0.7"),
        all.stream().map(t -> t.port() + " " + t.from() + " > " + t.to()).toList());
    assertEquals(
        List.of(), LetIn.tries(List.of(new Ingress("tcp", 443, "fd00:20::/64")), List.of()));
  }
}
