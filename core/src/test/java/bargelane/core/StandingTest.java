package bargelane.core;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.point.Retention;
import bargelane.core.wave.Exposure;
import bargelane.core.wave.Gate;
import bargelane.core.wave.Standing;
import bargelane.core.wave.Timetable;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.function.Function;
import org.junit.jupiter.api.Test;

class StandingTest {

  private static final Instant NOW = Instant.parse("2026-11-23T08:00:00Z");
  private static final Duration RPO = Duration.ofSeconds(60);

  private static Exposure aged(int seconds) {
    return Exposure.at(NOW, Optional.of(NOW.minusSeconds(seconds)), RPO);
  }

  private static List<String> shut(Standing s) {
    return s.gates().stream()
        .filter(g -> !g.open())
        .map(g -> g.gate().word() + " " + g.shutBy().get(0).code().text())
        .toList();
  }

  private static Standing standing(
      int points,
      Exposure exposure,
      Optional<Standing.Test> test,
      boolean landed,
      boolean diverged) {
    return new Standing(
        "db", "lending", false, List.of(), List.of(), List.of(), true, points, exposure, test,
        landed, diverged, false);
  }

  @Test
  void exposureIsMeasuredFromTheSourceInstantNotTheFinish() {
    Instant asOf = NOW.minusSeconds(59);
    assertTrue(Exposure.at(NOW, Optional.of(asOf), RPO).held());
    assertFalse(Exposure.at(NOW.plusSeconds(2), Optional.of(asOf), RPO).held());
    assertFalse(Exposure.at(NOW, Optional.empty(), RPO).held());
  }

  @Test
  void theGatesComeInTheirOrder() {
    assertEquals(
        List.of("found", "sized", "mapped", "laden", "in step", "proven", "landed", "settled"),
        standing(0, aged(0), Optional.empty(), false, false).gates().stream()
            .map(g -> g.gate().word())
            .toList());
    assertEquals(8, Gate.values().length);
  }

  @Test
  void aFreshWaveWaitsForItsFirstPass() {
    Exposure none = Exposure.at(NOW, Optional.empty(), RPO);
    assertEquals(
        List.of(
            "laden not-loaded",
            "in step no-point",
            "proven not-tested",
            "landed not-landed",
            "settled not-settled"),
        shut(standing(0, none, Optional.empty(), false, false)));
  }

  @Test
  void anExposureOverTheRpoShutsInStepAndSaysByHowMuch() {
    Standing late =
        standing(
            3, aged(75), Optional.of(new Standing.Test(true, List.of(), "run-1")), false, false);
    assertEquals(
        List.of("in step exposure-over-rpo", "landed not-landed", "settled not-settled"),
        shut(late));
    assertEquals(
        "the newest recovery point is 1m15s old, 15s over the RPO of 1m",
        late.gates().get(4).shutBy().get(0).cause());
  }

  @Test
  void aProofLapsesWithTheChangeThatItNames() {
    Standing lapsed =
        standing(
            3,
            aged(5),
            Optional.of(new Standing.Test(true, List.of("size a to b"), "run-1")),
            false,
            false);
    assertTrue(lapsed.gates().get(5).shutBy().get(0).cause().contains("size a to b"));
    assertEquals(
        "proven test-failed",
        shut(standing(
                3,
                aged(5),
                Optional.of(new Standing.Test(false, List.of(), "run-1")),
                false,
                false))
            .get(0));
  }

  @Test
  void divergedSidesAreNeverInStep() {
    assertEquals(
        "in step sides-diverged",
        shut(standing(
                3, aged(5), Optional.of(new Standing.Test(true, List.of(), "run-1")), true, true))
            .get(0));
  }

  @Test
  void theNewestPointsAreKept() {
    assertEquals(
        List.of(1, 2, 3),
        Retention.surplus(List.of(5, 1, 9, 3, 2, 7, 8, 6, 4), Function.identity(), 6));
    assertEquals(List.of(), Retention.surplus(List.of(1, 2), Function.identity(), 6));
  }

  @Test
  void impossibleTimetablesAreRefused() {
    assertThrows(
        IllegalArgumentException.class,
        () -> new Timetable(Duration.ofMillis(999), RPO, 6, true, true));
    assertThrows(
        IllegalArgumentException.class,
        () -> new Timetable(Duration.ofSeconds(61), RPO, 6, true, true));
    assertThrows(
        IllegalArgumentException.class,
        () -> new Timetable(Duration.ofSeconds(15), RPO, 0, true, true));
  }
}
