package bargelane.service.move;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertInstanceOf;
import static org.mockito.Mockito.times;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.core.lane.Rule;
import bargelane.core.lane.RuleScope;
import bargelane.core.lane.Setting;
import bargelane.core.site.Inventory.Disk;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.lane.LaneRuleStore;
import bargelane.service.lane.Lanes;
import bargelane.service.machine.MachineEntity;
import bargelane.service.plan.Plans;
import bargelane.service.platform.Json;
import bargelane.service.replication.Berth;
import bargelane.service.replication.Side;
import bargelane.service.run.Outcome;
import bargelane.service.run.Work;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;

/** A machine some of whose disks stay at its source: where they are when it goes and comes back. */
class LeftOutDisksTest extends MovesFixture {

  private static final String CLONE = "bl-run-ledger-d0";
  private static final Berth BERTH =
      new Berth("p-1", List.of("vol-0"), List.of(), "", List.of("scratch", "vol-0"));

  private static MachineFacts has(String... volumes) {
    return facts("").with(java.util.Arrays.stream(volumes).map(LeftOutDisksTest::disk).toList());
  }

  private static Disk disk(String volume) {
    return new Disk(volume, volume.equals("scratch") ? 7L << 30 : 1L << 30, "shelf");
  }

  private void scanned(String... volumes) {
    db.run(s -> s.find(MachineEntity.class, "m-1").facts = Json.text(has(volumes)));
  }

  private List<Rule> rules() {
    return db.tx(s -> LaneRuleStore.all(s, "lane"));
  }

  private static Rule rule(int disk, String value) {
    return new Rule(RuleScope.DISK, "m-1", disk, Setting.COPY, value);
  }

  @Test
  void aMachineThatComesBackHasItsDisksInTheOrderThatTheyHad() {
    stands(Side.HOME, BERTH);
    // One was attached that nobody decided about; it stays, too.
    when(home.compute.machine("p-1")).thenReturn(has("scratch", "stray", "vol-0"));
    landing.define(work(), Side.HOME);
    when(home.compute.machine("p-1")).thenReturn(has("scratch", "stray", CLONE));
    landing.define(work(), Side.HOME);
    verify(home.compute, times(2)).attach("p-1", List.of("scratch", "stray", CLONE));
    verify(home.target).own("vol-0", "bargelane/in-test/tow");
    Work w = work();
    moves.legId(w);
    db.run(s -> landing.land(s, w, Side.HOME));
    assertEquals(
        new Berth("p-1", List.of(CLONE), List.of("vol-0"), "", List.of("scratch", CLONE)),
        berth(Side.HOME));
  }

  /** Somebody may have given it to another machine meanwhile. */
  @Test
  void oneThatWasDetachedMeanwhileIsNotAttachedAgain() {
    stands(Side.HOME, BERTH);
    when(home.compute.machine("p-1")).thenReturn(has("vol-0"));
    landing.define(work(), Side.HOME);
    verify(home.compute).attach("p-1", List.of(CLONE));
    Work w = work();
    moves.legId(w);
    db.run(s -> landing.land(s, w, Side.HOME));
    assertEquals(List.of(), berth(Side.HOME).leftOut());
  }

  @Test
  void takingBackGivesThemBackInThatOrder() {
    stands(Side.HOME, BERTH);
    when(home.compute.machine("p-1")).thenReturn(has("vol-0", "scratch"));
    landing.define(work(), Side.HOME);
    assertInstanceOf(Outcome.Done.class, landing.undoTarget(work(), Side.HOME));
    verify(home.compute).attach("p-1", List.of("vol-0", "scratch"));
  }

  @Test
  void anOrderThatLacksItsDisksSaysNothing() {
    stands(Side.HOME, new Berth("p-1", List.of("vol-9"), List.of(), "", List.of("other")));
    var state = state();
    assertEquals(1, Plans.facts(state, state.members.get(0)).disks().size());
    assertEquals(List.of(), berth(Side.HOME).leftOut());
  }

  @Test
  void whatIsKnownOfItAreTheDisksThatAreCopied() {
    scanned("scratch", "vol-0");
    stands(Side.HOME, BERTH);
    var state = state();
    assertEquals(List.of(disk("vol-0")), Plans.facts(state, state.members.get(0)).disks());
    assertEquals(List.of(1), state.placesOf(state.members.get(0)));
  }

  /**
   * Whatever place a volume gets among its machine's disks, what was decided of it stays its own.
   */
  @Test
  void aDecisionStaysWithItsVolume() {
    scanned("vol-0", "scratch");
    db.run(s -> Lanes.decided(s, "lane", List.of(rule(1, "off"))));
    scanned("vol-0", "late", "scratch");
    assertEquals(List.of(rule(2, "off")), rules());
    db.run(s -> Lanes.decided(s, "lane", List.of(rule(1, "on"))));
    assertEquals(List.of(rule(1, "on"), rule(2, "off")), rules());
    scanned("vol-0", "late");
    assertEquals(List.of(rule(1, "on"), rule(3, "off")), rules(), "it counts for no other disk");
    scanned("scratch", "vol-0", "late");
    db.run(s -> Lanes.decided(s, "lane", List.of(rule(0, "on"))));
    assertEquals(List.of(rule(0, "on"), rule(2, "on")), rules());
  }

  @Test
  void aDecisionFollowsAVolumeToTheOneThatTakesItsPlace() {
    scanned("scratch", "vol-0");
    stands(Side.HOME, BERTH);
    db.run(s -> Lanes.decided(s, "lane", List.of(rule(0, "off"), rule(1, "on"))));
    when(home.compute.machine("p-1")).thenReturn(has("scratch", "vol-0"));
    landing.define(work(), Side.HOME);
    Work w = work();
    moves.legId(w);
    db.run(s -> landing.land(s, w, Side.HOME));
    assertEquals(List.of(rule(0, "off"), rule(1, "on")), rules());
    // As the next scan finds them.
    scanned(CLONE, "scratch");
    assertEquals(List.of(rule(0, "on"), rule(1, "off")), rules());
    assertEquals(Map.of("mem", BERTH), w.need(MoveNotes.PREVIOUS));
  }
}
