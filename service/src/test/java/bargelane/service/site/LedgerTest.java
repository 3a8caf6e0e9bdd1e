package bargelane.service.site;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.doAnswer;
import static org.mockito.Mockito.doNothing;
import static org.mockito.Mockito.doThrow;
import static org.mockito.Mockito.inOrder;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.times;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import bargelane.service.platform.Db;
import bargelane.service.platform.TestDatabase;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Source;
import bargelane.sites.Target;
import java.io.IOException;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.mockito.InOrder;

class LedgerTest {

  private static final SiteException AWAY =
      new SiteException(SiteException.Kind.MAY_PASS, "unreachable", "the site is away", null);

  private final Sites sites = mock(Sites.class);
  private final SiteDriver driver = mock(SiteDriver.class);
  private final Source source = mock(Source.class);
  private final Target target = mock(Target.class);
  private TestDatabase database;
  private Db db;
  private Ledger ledger;

  @BeforeEach
  void open() throws IOException {
    when(sites.driver(any())).thenReturn(driver);
    when(driver.source()).thenReturn(source);
    when(driver.target()).thenReturn(target);
    database = TestDatabase.open();
    db = database.db();
    ledger = new Ledger(db, sites, Clock.systemUTC(), "in-test", "node");
    db.run(
        s -> {
          for (String sql :
              List.of(
                  "insert into site (id, name, kind, address, created_at, findings) values ('s', 's', 'k', '', now(), '[]')",
                  "insert into lane values ('l', 'l', 's', 's', '{}', 0)",
                  "insert into timetable (id, name, every_seconds, rpo_seconds, keep_points, verify) values ('tt', 'tt', 15, 60, 6, true)",
                  "insert into wave (id, name, created_at) values ('w', 'w', now())",
                  "insert into tow (id, wave_id, landed, diverged, name, lane_id, timetable_id) values ('tow', 'w', false, false, 'w', 'l', 'tt')")) {
            s.createNativeMutationQuery(sql).executeUpdate();
          }
        });
  }

  @AfterEach
  void shut() throws IOException {
    database.close();
  }

  private List<SiteObjectEntity> recorded() {
    return db.tx(s -> Db.list(s, SiteObjectEntity.class, "from SiteObjectEntity order by name"));
  }

  @Test
  void aThingIsRecordedOnceUnderOurTagHoweverOftenItIsPlanned() {
    assertEquals("bargelane/in-test/tow", ledger.plan("s", "tow", "volume", "v"));
    ledger.plan("s", "tow", "volume", "v");
    assertEquals(1, recorded().size());
    assertTrue(ledger.recorded("s", "volume", "v"));
  }

  /** What a backup had as to be stopped may be in use since; a point may be the newest there is. */
  @Test
  void afterARestoreNothingIsStoppedAndNoPointThatMayBeGoodIsRemoved() {
    for (String kind : List.of("started", "machine", "point", "snapshot", "export", "volume")) {
      ledger.plan("s", "tow", kind, "of-" + kind);
    }
    db.run(
        s -> {
          s.createNativeMutationQuery(
                  "update site_object set wanted = false where kind in ('started', 'machine', 'volume')")
              .executeUpdate();
          Ledger.restored(s);
        });
    assertEquals(
        List.of("of-export false", "of-snapshot false", "of-volume false"),
        recorded().stream().map(o -> o.name + " " + o.wanted).toList());
    ledger.sweep();
    verify(target, never()).deletePoint(any());
    verify(driver, never()).compute();
    assertTrue(recorded().isEmpty());
  }

  @Test
  void itsRecordGoesOnlyAfterItIsGone() {
    ledger.plan("s", "tow", "volume", "v");
    doThrow(AWAY).when(target).deleteVolume("v");
    assertEquals(Optional.of("the site is away"), ledger.remove("s", "volume", "v"), "it says why");
    assertEquals(false, recorded().get(0).wanted);
    doNothing().when(target).deleteVolume("v");
    ledger.sweep();
    assertEquals(List.of(), recorded());
    verify(target, times(2)).deleteVolume("v");
  }

  @Test
  void whatUsesGoesBeforeWhatIsUsed() {
    ledger.plan("s", "tow", "point", "p");
    ledger.plan("s", "tow", "volume", "v");
    ledger.plan("s", "tow", "snapshot", "n");
    ledger.plan("s", "tow", "export", "e");
    assertEquals(Optional.empty(), ledger.removeAll("tow"));
    InOrder order = inOrder(source, target);
    order.verify(target).closeExport("e");
    order.verify(source).dropSnapshot("n");
    order.verify(target).deleteVolume("v");
    order.verify(target).deletePoint("p");
    assertEquals(List.of(), recorded());
  }

  @Test
  void whatIsLeftOfATowIsNamedWithItsReason() {
    ledger.plan("s", "tow", "volume", "v");
    ledger.plan("s", "tow", "point", "p");
    doThrow(AWAY).when(target).deleteVolume("v");
    assertEquals(Optional.of("volume v: the site is away"), ledger.removeAll("tow"));
    assertEquals(1, recorded().size());
  }

  @Test
  void whatBecameTheSitesOwnIsOursNoMore() {
    ledger.plan("s", "tow", "volume", "v");
    ledger.release("s", "volume", "v");
    ledger.sweep();
    verify(target, never()).deleteVolume(any());
  }

  @Test
  void whatIsLeftUnderANameIsRemovedBeforeTheNameIsUsedAnew() {
    ledger.plan("s", "tow", "volume", "v");
    doThrow(AWAY).when(target).deleteVolume("v");
    ledger.remove("s", "volume", "v");
    SiteException held =
        assertThrows(SiteException.class, () -> ledger.plan("s", "tow", "volume", "v"));
    assertEquals(SiteException.Kind.MAY_PASS, held.kind());
    assertEquals(
        "volume v, left by an earlier step, can't be removed yet: the site is away",
        held.getMessage());
    doNothing().when(target).deleteVolume("v");
    ledger.plan("s", "tow", "volume", "v");
    verify(target, times(3)).deleteVolume("v");
    ledger.sweep();
    verify(target, times(3)).deleteVolume("v");
    assertTrue(recorded().get(0).wanted);
  }

  /** A site that is silent while things are removed there holds no transaction. */
  @Test
  void whatOneRemovesNobodyElseRemovesAndNoTransactionIsOpenMeanwhile() {
    ledger.plan("s", "tow", "volume", "v");
    doAnswer(
            x -> {
              assertEquals(0, transactions());
              ledger.sweep();
              SiteException held =
                  assertThrows(SiteException.class, () -> ledger.plan("s", "tow", "volume", "v"));
              assertTrue(held.getMessage().contains("it is being removed"), held.getMessage());
              return null;
            })
        .when(target)
        .deleteVolume("v");
    assertEquals(Optional.empty(), ledger.remove("s", "volume", "v"));
    verify(target, times(1)).deleteVolume("v");
    assertEquals(List.of(), recorded());
  }

  /** Those that others have open. */
  private int transactions() {
    return db.tx(
        s ->
            ((Number)
                    s.createNativeQuery(
                            "select count(*) from pg_stat_activity where datname = current_database()"
                                + " and pid <> pg_backend_pid() and xact_start is not null",
                            Object.class)
                        .getSingleResult())
                .intValue());
  }

  @Test
  void whatANodeWasRemovingWhenItDiedIsRemovedWhenItIsBackOrAfterAWhile() {
    ledger.plan("s", "tow", "volume", "v");
    ledger.plan("s", "tow", "volume", "w");
    doThrow(new Error("killed")).when(target).deleteVolume(any());
    assertThrows(Error.class, () -> ledger.remove("s", "volume", "v"));
    assertThrows(Error.class, () -> ledger.remove("s", "volume", "w"));
    doNothing().when(target).deleteVolume(any());
    ledger.sweep();
    assertEquals(2, recorded().size(), "they may still be at it");
    // Whatever the other node's own clock says.
    Clock ahead = Clock.offset(Clock.systemUTC(), Duration.ofHours(1));
    Ledger other = new Ledger(db, sites, ahead, "in-test", "other");
    other.sweep();
    assertEquals(2, recorded().size());
    SiteObjectEntity first = recorded().get(0);
    db.run(s -> s.find(SiteObjectEntity.class, first.id).removingUntil = Instant.EPOCH);
    other.sweep();
    assertEquals(1, recorded().size());
    ledger.open();
    ledger.sweep();
    assertEquals(List.of(), recorded());
  }

  @Test
  void aSweepLeavesWhatWasMadeAnewSinceItLooked() {
    ledger.plan("s", "tow", "volume", "a");
    ledger.plan("s", "tow", "volume", "b");
    doThrow(AWAY).when(target).deleteVolume(any());
    ledger.remove("s", "volume", "a");
    ledger.remove("s", "volume", "b");
    List<String> removed = new ArrayList<>();
    doAnswer(
            x -> {
              String name = x.getArgument(0);
              removed.add(name);
              if (removed.size() == 1) {
                // Between the sweep's look and its second removal another run uses the name.
                ledger.plan("s", "tow", "volume", name.equals("a") ? "b" : "a");
              }
              return null;
            })
        .when(target)
        .deleteVolume(any());
    ledger.sweep();
    assertEquals(2, removed.size(), "each is removed once: " + removed);
    assertEquals(1, recorded().size());
    assertTrue(recorded().get(0).wanted);
  }
}
