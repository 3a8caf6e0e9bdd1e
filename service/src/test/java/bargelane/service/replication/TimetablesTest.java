package bargelane.service.replication;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.TimetableAdd;
import bargelane.api.TimetableEdit;
import bargelane.api.TimetableView;
import bargelane.service.platform.AtOnce;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.TestDatabase;
import java.io.IOException;
import java.time.Duration;
import java.util.List;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class TimetablesTest {

  private TestDatabase database;
  private Db db;
  private Timetables timetables;

  @BeforeEach
  void open() throws IOException {
    database = TestDatabase.open();
    db = database.db();
    timetables = new Timetables(db, Duration.ofSeconds(5), legs -> {});
  }

  @AfterEach
  void shut() throws IOException {
    database.close();
  }

  @Test
  void oneIsKeptAsAskedAndVerifiesAndQuiescesWhereNothingIsSaid() {
    TimetableView made = timetables.add(new TimetableAdd("often", 15, 60, 6, null, null));
    assertEquals(new TimetableView(made.id(), "often", 15, 60, 6, true, true), made);
    TimetableView plain = timetables.add(new TimetableAdd("at-night", 3600, 7200, 1, false, false));
    assertEquals(List.of(plain, made), timetables.list());
    assertEquals("often", db.tx(s -> Timetables.find(s, made.id()).name));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "4 | 60 | 6 | passes can't be asked for more often than every 5 s; asked for 4 s",
        "-1 | 60 | 6 | passes can't be asked for more often than every 5 s; asked for -1 s",
        "60 | 59 | 6 | an RPO of 59s can't be held by a pass every 1m",
        "60 | 60 | 0 | between 1 and 1000 points can be kept; asked for 0",
        "60 | 60 | 1001 | between 1 and 1000 points can be kept; asked for 1001"
      })
  void whatCannotBeHeldIsRefused(int every, int rpo, int points, String why) {
    ProblemException refused =
        assertThrows(
            ProblemException.class,
            () -> timetables.add(new TimetableAdd("often", every, rpo, points, true, true)));
    assertEquals("timetable-impossible", refused.code());
    assertEquals(why, refused.getMessage());
    assertTrue(timetables.list().isEmpty());
  }

  @Test
  void whatIsLeftOutOfAnEditStaysAndWhatTogetherCannotBeHeldIsRefused() {
    TimetableView made = timetables.add(new TimetableAdd("often", 15, 60, 6, true, false));
    TimetableView edited = timetables.edit("often", new TimetableEdit(null, 30, null, false, null));
    assertEquals(new TimetableView(made.id(), "often", 15, 30, 6, false, false), edited);
    ProblemException refused =
        assertThrows(
            ProblemException.class,
            () -> timetables.edit("often", new TimetableEdit(60, null, null, null, null)));
    assertEquals("an RPO of 30s can't be held by a pass every 1m", refused.getMessage());
    assertEquals(List.of(edited), timetables.list());
    assertEquals(
        "timetable-unknown",
        assertThrows(
                ProblemException.class,
                () -> timetables.edit("none", new TimetableEdit(60, null, null, null, null)))
            .code());
  }

  @Test
  void twoEditsAtOnceBothCount() throws Exception {
    timetables.add(new TimetableAdd("often", 15, 60, 6, true, true));
    AtomicInteger caller = new AtomicInteger();
    assertEquals(
        List.of("done", "done"),
        AtOnce.fare(
            2,
            () ->
                timetables.edit(
                    "often",
                    caller.getAndIncrement() == 0
                        ? new TimetableEdit(30, null, null, null, null)
                        : new TimetableEdit(null, null, 9, null, null))));
    TimetableView now = timetables.list().get(0);
    assertEquals(List.of(30, 9), List.of(now.everySeconds(), now.keepPoints()));
  }

  @Test
  void ofSeveralWhoAddOneNameAtOnceOneDoes() throws Exception {
    assertEquals(
        List.of("done", "timetable-exists", "timetable-exists"),
        AtOnce.fare(3, () -> timetables.add(new TimetableAdd("often", 15, 60, 6, true, true))));
    assertEquals(1, timetables.list().size());
  }
}
