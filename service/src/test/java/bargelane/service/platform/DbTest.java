package bargelane.service.platform;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.sql.SQLException;
import java.util.Optional;
import org.junit.jupiter.api.Test;

class DbTest {

  @Test
  void aDatabaseThatIsAwayOrFullIsToldFromAStatementThatIsWrong() {
    assertEquals(
        Optional.of("could not extend file: No space left on device"),
        Db.trouble(
            new IllegalStateException(
                new SQLException("could not extend file: No space left on device", "53100"))));
    assertEquals(
        Optional.of("connection refused"),
        Db.trouble(new SQLException("connection refused", "08001")));
    assertEquals(
        Optional.of("Connection is closed"),
        Db.trouble(new IllegalStateException(new SQLException("Connection is closed"))),
        "the pool has closed it, and tells no state");
    assertEquals(Optional.empty(), Db.trouble(new SQLException("syntax error", "42601")));
    assertEquals(Optional.empty(), Db.trouble(new IllegalStateException("no database at all")));
  }
}
