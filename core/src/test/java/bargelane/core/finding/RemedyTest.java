package bargelane.core.finding;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.Test;

class RemedyTest {

  @Test
  void anActionHasAStableWordAndCarriesItsArguments() {
    assertEquals("lane-join-network", Action.LANE_JOIN_NETWORK.word());
    Remedy joined = Remedy.of("join it", Action.LANE_JOIN_NETWORK, "over", "net-a");
    assertEquals(List.of("over", "net-a"), joined.arguments());
    assertEquals("join it", joined.toString());
    assertEquals("wave load lending", Action.WAVE_LOAD.of("lending").toString());
  }

  @Test
  void nothingToDoIsNone() {
    assertTrue(Remedy.NONE.none());
    assertFalse(Remedy.advice("wait").none());
    assertFalse(Action.RUN_LIST.of().none());
  }

  @Test
  void argumentsOfNoActionAreRefused() {
    assertThrows(
        IllegalArgumentException.class,
        () -> new Remedy("wait", Optional.empty(), List.of("lending")));
  }
}
