package bargelane.service.platform;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.HashSet;
import java.util.Set;
import org.junit.jupiter.api.Test;

class IdsTest {

  @Test
  void aFirstScanOfALargeEstateGetsAnIdForEachMachine() {
    Set<String> ids = new HashSet<>();
    for (int i = 0; i < 500_000; i++) {
      ids.add(Ids.next("m"));
    }
    assertEquals(500_000, ids.size());
    assertTrue(ids.iterator().next().matches("m-[2-9a-hjkmnp-z]{10}"));
  }
}
