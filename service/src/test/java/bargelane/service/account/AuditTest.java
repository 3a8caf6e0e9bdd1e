package bargelane.service.account;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.AuditCheck;
import bargelane.service.platform.AtOnce;
import bargelane.service.platform.Db;
import bargelane.service.platform.TestDatabase;
import java.io.IOException;
import java.time.Clock;
import java.time.Duration;
import java.util.List;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** The chain of the audit, on a real database. */
class AuditTest {

  private TestDatabase database;
  private Db db;
  private Audit audit;

  @BeforeEach
  void open() throws IOException {
    database = TestDatabase.open();
    db = database.db();
    audit = new Audit(db, Clock.systemUTC());
  }

  @AfterEach
  void shut() throws IOException {
    database.close();
  }

  private static Audit.Call call(String asked) {
    return new Audit.Call(Caller.nobody("192.0.2.7"), "POST", "/api/v1/waves", "", asked);
  }

  private void tamper(String sql) {
    db.run(
        s -> {
          s.createNativeMutationQuery("set local session_replication_role = replica")
              .executeUpdate();
          s.createNativeMutationQuery(sql).executeUpdate();
        });
  }

  @Test
  void entriesOfManyAtOnceAreOneChain() throws Exception {
    assertEquals(Set.of("done"), Set.copyOf(AtOnce.fare(20, () -> audit.asked(call("{}")))));
    AuditCheck check = audit.verify();
    assertEquals(20, check.entries());
    assertEquals("", check.broken());
    assertEquals(check.digest(), audit.list("", false, 0, 1).items().get(0).digest());
    audit.refused(call("half \ud800 and \0 and " + "x".repeat(5000)), 3L, 422, "no");
    assertEquals("", audit.verify().broken(), "what is read back is what was digested");
    assertEquals(1, audit.list("", true, 0, 50).total());
  }

  @Test
  void whatIsOlderThanItIsKeptGoesFromTheFrontAndTheChainStaysWhole() {
    Duration year = Duration.ofDays(365);
    Clock now = Clock.systemUTC();
    Audit former = new Audit(db, Clock.offset(now, Duration.ofDays(-400)));
    for (int i = 0; i < 7; i++) {
      former.asked(call("{\"number\":" + i + "}"));
    }
    String last = audit.verify().digest();
    assertEquals(0, former.cut(year));
    audit.asked(call("{}"));
    // A clock that was set back: what is older than the one before it stays with it.
    former.asked(call("{}"));
    assertEquals(7, audit.cut(year));
    assertEquals(0, audit.cut(year));
    AuditCheck check = audit.verify();
    assertEquals("", check.broken());
    assertEquals(7, check.gone());
    assertEquals(3, check.entries(), "two, and the one that tells of those that are gone");
    String told = audit.list("", false, 0, 1).items().get(0).asked();
    assertEquals("{\"last\":7,\"digest\":\"" + last + "\"}", told);

    // All of it grows old, and nobody asks for anything meanwhile.
    Audit later = new Audit(db, Clock.offset(now, Duration.ofDays(500)));
    assertEquals(3, later.cut(year));
    assertEquals(1, later.verify().entries());
    assertEquals(10, later.verify().gone());
    assertEquals("", later.verify().broken());
    audit.asked(call("{}"));
    assertEquals("", audit.verify().broken());

    tamper("delete from audit where id = 11");
    assertEquals("entry 1 is missing", audit.verify().broken());
  }

  @Test
  void theChainIsWholeToWhoeverChecksItWhileItIsCut() throws Exception {
    Duration year = Duration.ofDays(365);
    Audit former = new Audit(db, Clock.offset(Clock.systemUTC(), Duration.ofDays(-400)));
    for (int i = 0; i < 300; i++) {
      former.asked(call("{}"));
    }
    CompletableFuture<Integer> cutting =
        CompletableFuture.supplyAsync(
            () -> {
              int all = 0;
              for (int days = 0; days < 60; days++) {
                former.asked(call("{}"));
                all += audit.cut(year);
                audit.asked(call("{}"));
              }
              return all;
            });
    while (!cutting.isDone()) {
      assertEquals("", audit.verify().broken());
    }
    assertTrue(cutting.get() >= 300);
  }

  @Test
  void entriesThatAreKeptCanNotBeTakenOutUnderTheCoverOfACut() {
    for (int i = 0; i < 5; i++) {
      audit.asked(call("{}"));
    }
    tamper("delete from audit where id <= 2");
    assertEquals("entry 1 is missing", audit.verify().broken(), "nothing tells of a cut");
    assertThrows(
        RuntimeException.class,
        () ->
            db.run(
                s -> {
                  s.createNativeQuery(
                          "select set_config('bargelane.audit_cut', '3', true)", String.class)
                      .getSingleResult();
                  s.createNativeMutationQuery("delete from audit where id = 4").executeUpdate();
                }));
  }

  @Test
  void entriesOfFormerVersionsAreInTheChain() {
    // As a version entered it that told nothing of what stood before.
    tamper(
        "insert into audit (id, at, account, token, address, method, path, asked, status, code, digest)"
            + " values (1, '2026-11-30T09:19:14.084621Z', 'ada', 'tok-1', '127.0.0.1', 'DELETE',"
            + " '/api/v1/accounts/rex', '', 0, '', 'fce3d0a9cc74ddfc054cf57e529907d703c7d82d82818db03a6a6cffe10b9333')");
    audit.asked(call("{}"));
    assertEquals("", audit.verify().broken());
    assertEquals(2, audit.verify().entries());
    tamper("update audit set before = '{}' where id = 1");
    assertEquals("entry 1 is not as it was written", audit.verify().broken());
  }

  @Test
  void whatIsChangedOrTakenOutIsFound() {
    for (int i = 0; i < 5; i++) {
      audit.asked(call("{\"number\":" + i + "}"));
    }
    for (String sql :
        List.of(
            "update audit set account = 'nobody' where id = 3",
            "delete from audit",
            "truncate audit")) {
      assertThrows(
          RuntimeException.class,
          () -> db.run(s -> s.createNativeMutationQuery(sql).executeUpdate()),
          sql);
    }
    assertEquals("", audit.verify().broken());
    tamper("update audit set asked = '{}' where id = 3");
    assertEquals("entry 3 is not as it was written", audit.verify().broken());
    assertEquals(2, audit.verify().entries());
    tamper("delete from audit where id = 3");
    assertTrue(audit.verify().broken().contains("entry 3 is missing"));
    tamper("update audit set id = id - 1 where id > 3");
    assertEquals("entry 3 is not as it was written", audit.verify().broken());
  }
}
