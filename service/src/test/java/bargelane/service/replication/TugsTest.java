package bargelane.service.replication;

import static org.junit.jupiter.api.Assertions.assertEquals;

import bargelane.api.TugView;
import bargelane.service.platform.TestDatabase;
import java.io.IOException;
import java.time.Clock;
import java.util.List;
import org.junit.jupiter.api.Test;

class TugsTest {

  private static long written(TestDatabase database) {
    return database
        .db()
        .tx(
            s ->
                ((Number)
                        s.createNativeQuery("select sum(xmax::text::bigint) from tug", Object.class)
                            .getSingleResult())
                    .longValue());
  }

  @Test
  void whatATugIsIsStoredAtOnceAndThatItAsksNotEachTime() throws IOException {
    try (TestDatabase database = TestDatabase.open()) {
      Tugs tugs = new Tugs(database.db(), Clock.systemUTC());
      tugs.asks("one", "1");
      long first = written(database);
      tugs.asks("one", "1");
      assertEquals(first, written(database), "no row was touched again");
      tugs.asks("one", "2");
      tugs.asks("two", null);
      assertEquals(
          List.of("one 2", "two "),
          tugs.list().stream().map(t -> t.name() + " " + t.version()).toList());
      assertEquals(
          List.of("one", "two"),
          new Tugs(database.db(), Clock.systemUTC()).list().stream().map(TugView::name).toList());
    }
  }
}
