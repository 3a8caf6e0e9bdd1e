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
import java.util.List;
import java.util.Set;
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
    return new Audit.Call(Caller.nobody("192.0.2.7"), "POST", "/api/v1/waves", asked);
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
