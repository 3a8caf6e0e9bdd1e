package bargelane.service.site;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.inOrder;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.api.LeftoverRemoval;
import bargelane.api.LeftoverRemove;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.TestDatabase;
import bargelane.sites.Compute;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Target;
import bargelane.sites.Target.Owned;
import java.io.IOException;
import java.time.Clock;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

class LeftoversTest {

  private static final String OWNER = "bargelane/in-lost/tow-abc";

  private final Sites sites = mock(Sites.class);
  private final SiteDriver driver = mock(SiteDriver.class);
  private final Target target = mock(Target.class);
  private final Compute compute = mock(Compute.class);
  private TestDatabase database;
  private Events events;
  private Leftovers leftovers;

  @BeforeEach
  void open() throws IOException {
    when(sites.driver(any())).thenReturn(driver);
    when(driver.target()).thenReturn(target);
    when(driver.compute()).thenReturn(compute);
    machine(false);
    List<Owned> there =
        List.of(
            new Owned("volume", "disk", "disk", OWNER),
            new Owned("machine", "m-1", "ledger", OWNER),
            new Owned("volume", "ours", "ours", "bargelane/in-test/tow"));
    when(target.owned(any()))
        .thenAnswer(
            x -> there.stream().filter(o -> o.owner().startsWith(x.getArgument(0))).toList());
    database = TestDatabase.open();
    Db db = database.db();
    Clock clock = Clock.systemUTC();
    events = new Events(db, clock, database.url, "bargelane", database.password);
    Ledger ledger = new Ledger(db, sites, clock, "in-test", "node");
    leftovers = new Leftovers(db, sites, ledger, events);
    db.run(
        s -> {
          for (String sql :
              List.of(
                  "insert into site (id, name, kind, address, created_at, findings) values ('s', 'far', 'standin', '', now(), '[]')",
                  "insert into lane values ('l', 'l', 's', 's', '{}', 0)",
                  "insert into timetable (id, name, every_seconds, rpo_seconds, keep_points, verify) values ('tt', 'tt', 15, 60, 6, true)",
                  "insert into wave (id, name, created_at) values ('w', 'w', now())",
                  "insert into tow (id, wave_id, landed, diverged, name, lane_id, timetable_id) values ('tow', 'w', false, false, 'w', 'l', 'tt')")) {
            s.createNativeMutationQuery(sql).executeUpdate();
          }
        });
    ledger.plan("s", "tow", "volume", "ours");
  }

  @AfterEach
  void close() throws IOException {
    events.close();
    database.close();
  }

  private void machine(boolean on) {
    MachineFacts m =
        new MachineFacts(
            "m-1", "ledger", 1, 1, "", "", on, false, List.of(), List.of(), List.of(), Map.of(),
            OWNER, null, null);
    when(driver.inventory())
        .thenReturn(
            new Inventory(
                List.of(m),
                List.of(),
                List.of(),
                List.of(),
                List.of(),
                new Inventory.Quota(0, 0, 0, 0)));
  }

  private String refused(String confirm, List<String> names, String owner) {
    String code =
        assertThrows(
                ProblemException.class,
                () -> leftovers.remove("far", new LeftoverRemove(confirm, names, owner), "e"))
            .code();
    verify(target, never()).deleteVolume(any());
    verify(compute, never()).remove(any());
    return code;
  }

  @Test
  void whatIsKeptOrRunsOrIsNotThereStaysAndEverythingElseOfTheCallWithIt() {
    assertEquals("not-confirmed", refused("near", List.of("disk"), ""));
    assertEquals("leftover-missing", refused("far", List.of(), ""));
    assertEquals("leftover-missing", refused("far", List.of("disk"), OWNER));
    assertEquals("leftover-unknown", refused("far", List.of("disk", "desk"), ""));
    assertEquals("leftover-unknown", refused("far", null, "bargelane/in-lost"));
    assertEquals("leftover-recorded", refused("far", List.of("disk", "ours"), ""));
    machine(true);
    assertEquals("leftover-runs", refused("far", null, OWNER));
  }

  @Test
  void whatUsesOthersGoesFirstAndWhatTheSiteKeepsIsTold() {
    doThrow(new SiteException(SiteException.Kind.MAY_PASS, "busy", "far: disk is read", null))
        .when(target)
        .deleteVolume("disk");
    List<LeftoverRemoval> done =
        leftovers.remove("far", new LeftoverRemove("far", null, OWNER), "e");
    assertEquals(
        List.of(
            new LeftoverRemoval("machine", "ledger", OWNER, ""),
            new LeftoverRemoval("volume", "disk", OWNER, "far: disk is read")),
        done);
    var order = inOrder(compute, target);
    order.verify(compute).remove("m-1");
    order.verify(target).deleteVolume("disk");
    verify(target, never()).deleteVolume("ours");
  }
}
