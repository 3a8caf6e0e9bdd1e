package bargelane.service.move;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.site.Inventory;
import bargelane.service.platform.Json;
import bargelane.service.replication.PointEntity;
import bargelane.service.replication.PointVolume;
import bargelane.service.replication.Side;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunFailure;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import bargelane.sites.SiteException;
import java.math.BigDecimal;
import java.util.List;
import org.junit.jupiter.api.Test;

/** What a target tells at the last moment, before anything is made or stopped. */
class TargetCheckTest extends MovesFixture {

  private Carrying carrying() {
    return new Carrying(services, moves);
  }

  private TargetCheck check() {
    return new TargetCheck(services, moves, carrying());
  }

  private static Inventory target(String network, String storage, int machines) {
    return new Inventory(
        List.of(),
        List.of(new Inventory.Network(network, network, "", "10.0.0.0/24", false)),
        List.of(new Inventory.Storage(storage, storage, "ssd", BigDecimal.ONE, "EUR")),
        List.of(),
        List.of(),
        new Inventory.Quota(machines, 0, 100, 0));
  }

  private String refused() {
    return assertThrows(RunFailure.class, () -> check().before(work(), MoveDesk.standing(true)))
        .code();
  }

  private Inventory kept() {
    return db.tx(s -> new Inventories(s).of(s.find(SiteEntity.class, "away")));
  }

  @Test
  void oneThatIsAsItWasTakesTheMachines() {
    when(away.driver.inventory()).thenReturn(target("net", "shelf", 10));
    assertEquals(
        Outcome.done("away takes them as planned"),
        check().before(work(), MoveDesk.standing(true)));
    check().beforeLoad(work());
  }

  @Test
  void whatIsNotThereAnyMoreEndsTheRunAndIsKept() {
    when(away.driver.inventory()).thenReturn(target("other", "shelf", 10));
    assertEquals("subnet-unknown", refused());
    assertEquals("other", kept().networks().get(0).id(), "plans and pages go by it too");
    check().beforeLoad(work());
    when(away.driver.inventory()).thenReturn(target("net", "other", 10));
    assertThrows(RunFailure.class, () -> check().beforeLoad(work()));
    when(away.driver.inventory()).thenReturn(target("net", "shelf", 0));
    assertEquals("quota-machines", refused());
  }

  /** What a site lacks is found by trying, and before anything is made or stopped. */
  @Test
  void aSiteThatIsNotReadyEndsLoadsCutoversAndFailbacks() {
    when(home.driver.inventory()).thenReturn(target("net", "shelf", 10));
    when(away.driver.inventory()).thenReturn(target("net", "shelf", 10));
    for (Code note :
        List.of(Code.SITE_CLOCK_OFF, Code.SITE_UNREACHABLE, Code.SITE_PERMISSION_MISSING)) {
      Finding lacks =
          new Finding(note, "away", "the token lacks 'volumes'", "grant it", Who.SITE_OWNER);
      when(sites.examine("away", away.driver)).thenReturn(List.of(lacks));
      // What does not answer is asked again, and not given up.
      if (note != Code.SITE_PERMISSION_MISSING) {
        check().before(work(), MoveDesk.standing(true));
        check().beforeLoad(work());
        continue;
      }
      assertEquals("site-permission-missing", refused());
      RunFailure load = assertThrows(RunFailure.class, () -> check().beforeLoad(work()));
      assertEquals("away is not ready: the token lacks 'volumes'", load.getMessage());
      when(sites.examine("away", away.driver)).thenReturn(List.of());
      when(sites.examine("home", home.driver)).thenReturn(List.of(lacks));
      assertThrows(RunFailure.class, () -> check().beforeLoad(work()));
      assertThrows(RunFailure.class, () -> check().room(work(), Side.HOME));
      check().before(work(), MoveDesk.standing(true));
    }
  }

  /** No copy is recorded under a key that the target has withdrawn. */
  @Test
  void aKeyThatIsGoneEndsALoadBeforeACopyIsMade() {
    when(away.driver.inventory()).thenReturn(target("net", "shelf", 10));
    db.run(
        s ->
            s.createNativeMutationQuery(
                    "insert into lane_rule (lane_id, scope, subject, part, setting, value)"
                        + " select id, 'lane', '', -1, 'key', 'k' from lane")
                .executeUpdate());
    RunFailure gone = assertThrows(RunFailure.class, () -> check().beforeLoad(work()));
    assertEquals("choice-not-offered", gone.code());
  }

  private static Inventory counting(long gib, boolean clones) {
    Inventory i = target("net", "shelf", 10);
    return new Inventory(
        i.machines(),
        i.networks(),
        i.storages(),
        i.sizes(),
        i.zones(),
        new Inventory.Quota(10, 0, gib, 2, null, clones));
  }

  /** The copy of 1 GiB stays, and its clone takes as much again. */
  @Test
  void clonesThatDoNotFitEndTheMoveBeforeAnythingIsStopped() {
    when(away.driver.inventory()).thenReturn(counting(2, true));
    assertEquals("quota-volumes", refused());
    when(away.driver.inventory()).thenReturn(counting(3, true));
    check().before(work(), MoveDesk.standing(true));
    when(away.driver.inventory()).thenReturn(counting(2, false));
    check().before(work(), MoveDesk.standing(true));
    when(home.driver.inventory()).thenReturn(counting(2, true));
    RunFailure back = assertThrows(RunFailure.class, () -> check().room(work(), Side.HOME));
    assertEquals(
        "home has a quota of 2 GiB of volumes, of which 2 are used; clones of 1GiB need 1 GiB more",
        back.getMessage());
  }

  /** A test and a failover make clones of the disks that their point has. */
  @Test
  void clonesOfAPointThatDoNotFitEndTheRunBeforeAnythingIsMade() {
    when(away.driver.inventory()).thenReturn(counting(2, true));
    Refits refits = mock(Refits.class);
    for (RunKind kind :
        List.of(
            new TestRun(services, moves, landing, refits, check(), carrying()),
            new FailoverRun(services, moves, landing, refits, check(), carrying()))) {
      Step room =
          kind.steps(work()).stream()
              .filter(s -> s.name().equals("room"))
              .findFirst()
              .orElseThrow();
      RunFailure full = assertThrows(RunFailure.class, () -> room.action().run(work()));
      assertEquals("quota-volumes", full.code(), kind.name());
    }
    // A disk that came after the point has no clone of it.
    db.run(
        s ->
            s.find(PointEntity.class, "point-1").volumes =
                Json.text(List.of(new PointVolume("mem", 0, "other", "root-0", ""))));
    check().roomForPoint(work(), Side.AWAY);
  }

  @Test
  void oneThatDoesNotAnswerIsAskedAgain() {
    when(away.driver.inventory())
        .thenThrow(new SiteException(SiteException.Kind.MAY_PASS, "away", "no answer", null));
    assertTrue(
        assertThrows(SiteException.class, () -> check().before(work(), MoveDesk.standing(true)))
                .kind()
            == SiteException.Kind.MAY_PASS);
    assertEquals("net", kept().networks().get(0).id());
  }
}
