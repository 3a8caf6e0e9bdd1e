package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;

/** The guests of the matrix, and what is written of them. */
class GuestMatrixTest {

  @Test
  void everyTwoPropertiesAreTogetherInOneOfAFewGuests() {
    Set<String> wanted = new HashSet<>();
    for (int i = 0; i < GuestMatrix.PROPERTIES.size(); i++) {
      for (int j = i + 1; j < GuestMatrix.PROPERTIES.size(); j++) {
        for (String one : GuestMatrix.PROPERTIES.get(i)) {
          GuestMatrix.PROPERTIES.get(j).forEach(other -> wanted.add(one + " " + other));
        }
      }
    }
    List<String> names = GuestMatrix.names();
    Set<String> held =
        names.stream()
            .flatMap(n -> GuestMatrix.pairs(List.of(n.split("-"))).stream())
            .collect(Collectors.toSet());
    assertTrue(held.containsAll(wanted));
    assertTrue(names.size() <= 25, names.size() + " guests");
    assertEquals(names.size(), Set.copyOf(names).size());
    assertTrue(names.stream().allMatch(n -> GuestMatrix.wrong(n).isEmpty()));
    for (String wrong : List.of("nonsense", "bookworm-most-mbr-ext4", names.get(0) + "-more")) {
      assertTrue(GuestMatrix.wrong(wrong).orElseThrow().contains("'" + wrong + "' is not a guest"));
    }
  }

  @Test
  void whatIsWrittenIsReadAgainAndOneGuestHasOneRow() {
    GuestRows rows = GuestRows.read("# Guests\n\nno table yet\n");
    assertEquals(List.of(), rows.names());
    rows.put(new GuestRows.Row("b-1", "2026-11-29", "3 files", "61 s", "70 s", "65 s", "equal"));
    rows.put(new GuestRows.Row("a-1", "2026-11-29", "in the way: a | b\nc", "", "", "", ""));
    rows.put(new GuestRows.Row("b-1", "2026-11-30", "2 files", "60 s", "70 s", "65 s", "equal"));
    rows.put(new GuestRows.Broken("full", "2026-11-30", "0 KiB free", "none | left", "2.1 s"));
    GuestRows again = GuestRows.read(rows.page());
    assertTrue(again.page().contains("| full | 2026-11-30 | 0 KiB free | none / left | 2.1 s |"));
    assertEquals(rows.page(), again.page());
    assertEquals(List.of("a-1", "b-1"), again.names());
    assertTrue(again.page().contains("| a-1 | 2026-11-29 | in the way: a / b c |"), again.page());
    assertTrue(again.page().contains("| b-1 | 2026-11-30 | 2 files | 60 s |"), again.page());
  }
}
