package bargelane.core.lane;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.lane.ZoneFile.Change;
import java.util.List;
import org.junit.jupiter.api.Test;

class ZoneFileTest {

  @Test
  void changesBecomeRecordsAndWhatCanNotIsTold() {
    assertEquals(
        """
        ; Records that change
        $ORIGIN library.example.
        photo-web	IN	A	10.61.0.2	; was 10.60.0.11
        shelf.annex	IN	AAAA	2001:db8::7
        ; left out: a_b: its name is no host name
        ; left out: files: its new address is not known
        ; left out: x?$INCLUDE /etc: its name is no host name
        """,
        ZoneFile.of(
            "Library.example",
            List.of(
                new Change("shelf.annex.library.example.", "", "2001:db8::7"),
                new Change("Photo-Web", "10.60.0.11", "10.61.0.2"),
                new Change("a_b", "10.0.0.1", "10.0.0.2"),
                new Change("files", "10.0.0.3", ""),
                new Change("x\n$INCLUDE /etc", "10.0.0.3", "10.0.0.4"))));
  }

  @Test
  void aDomainIsOfLabelsAlone() {
    assertTrue(ZoneFile.origin("library.example"));
    assertTrue(ZoneFile.origin("library.example."));
    for (String bad : List.of("", ".", "a..b", "-a.b", "a b", "a\nb", "x".repeat(64) + ".b")) {
      assertFalse(ZoneFile.origin(bad), bad);
    }
  }
}
