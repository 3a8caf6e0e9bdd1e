package bargelane.service.move;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.refit.FileEdit;
import bargelane.service.replication.Berth;
import bargelane.service.replication.Side;
import bargelane.service.run.Note;
import bargelane.service.run.Notes;
import java.lang.reflect.Field;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.junit.jupiter.api.Test;

/** A move that was begun by an earlier version, or that one has landed, is read by this one. */
class MoveNotesTest {

  private static final Notes STORED =
      Notes.of(
          "run-1",
          """
          {"leg": "leg-1", "winner": "AWAY", "stoppedAt": "2026-11-02T20:00:00.5Z",
           "landed": true, "exposureSeconds": "12.5", "overlapSeconds": 3,
           "machines": {"m-1": "vm-7"},
           "previous": {"m-1": "{\\"platformId\\":\\"vm-7\\",\\"disks\\":[\\"d0\\"],\\"previous\\":[]}"},
           "setAside": {"d0": "HOME"}, "refits": {"m-1": "[]"},
           "rank-2": "2026-11-02T20:05:00Z", "nothing": null}""");

  @Test
  void eachNoteIsReadAsWhatItIs() {
    assertEquals("leg-1", STORED.need(MoveNotes.LEG));
    assertEquals(Side.AWAY, STORED.need(MoveNotes.WINNER));
    assertEquals(Instant.parse("2026-11-02T20:00:00.5Z"), STORED.need(MoveNotes.STOPPED_AT));
    assertTrue(STORED.need(MoveNotes.LANDED));
    assertEquals(12.5, STORED.need(MoveNotes.EXPOSURE_SECONDS));
    assertEquals(3.0, STORED.need(MoveNotes.OVERLAP_SECONDS));
    assertEquals(Instant.parse("2026-11-02T20:05:00Z"), STORED.need(MoveNotes.rank(2)));
  }

  @Test
  void whatIsKeptForEachMemberIsReadByMember() {
    assertEquals(Optional.of("vm-7"), STORED.get(MoveNotes.MACHINES, "m-1"));
    assertEquals(Optional.empty(), STORED.get(MoveNotes.MACHINES, "m-2"));
    Berth before = STORED.get(MoveNotes.PREVIOUS, "m-1").orElseThrow();
    assertEquals("vm-7", before.platformId());
    assertEquals(List.of("d0"), before.disks());
    assertEquals(Optional.of(Side.HOME), STORED.get(MoveNotes.SET_ASIDE, "d0"));
    List<FileEdit> made = STORED.get(MoveNotes.REFITS, "m-1").orElseThrow();
    assertTrue(made.isEmpty());
    assertEquals(Optional.empty(), STORED.get(MoveNotes.NETWORKS, "sub-a"));
  }

  @Test
  void aNoteThatIsMissingIsNamedWithItsRun() {
    assertFalse(STORED.has(MoveNotes.UP_AT));
    assertFalse(STORED.has(Note.of("nothing", String.class)));
    assertEquals(
        "run run-1 has no note 'upAt'",
        assertThrows(IllegalStateException.class, () -> STORED.need(MoveNotes.UP_AT)).getMessage());
  }

  @Test
  void noTwoNotesHaveOneName() throws IllegalAccessException {
    List<String> names = new ArrayList<>();
    for (Field f : MoveNotes.class.getDeclaredFields()) {
      if (f.getType() == Note.class) {
        names.add(((Note<?>) f.get(null)).name());
      }
    }
    Set<String> once = new HashSet<>(names);
    assertEquals(once.size(), names.size(), names.toString());
    assertTrue(names.size() > 20);
  }
}
