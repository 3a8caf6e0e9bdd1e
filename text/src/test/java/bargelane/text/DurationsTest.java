package bargelane.text;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;

import java.time.Duration;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

class DurationsTest {

  @ParameterizedTest
  @CsvSource({
    "15s, PT15S",
    "5m, PT5M",
    "1h30m, PT1H30M",
    "7d, PT168H",
    "1d1h1m1s, PT25H1M1S",
    "250ms, PT0.25S",
    "90, PT90S",
    "PT1H30M, PT1H30M",
    "pt5s, PT5S",
    "P1D, PT24H",
    "' 5m ', PT5M"
  })
  void durationsAreReadAsPeopleWriteThem(String text, String iso) {
    assertEquals(Duration.parse(iso), Durations.parse(text));
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "",
        "soon",
        "5 m",
        "m5",
        "1m1h",
        "-5s",
        "PT-5S",
        "1.5h",
        "5x",
        "99999999999s",
        "P"
      })
  void whatIsNoneIsRefusedWithWhatOneLooksLike(String text) {
    IllegalArgumentException e =
        assertThrows(IllegalArgumentException.class, () -> Durations.parse(text));
    assertEquals(
        "'" + text.strip() + "' is not a duration: write 15s, 5m, 1h30m or 7d", e.getMessage());
  }

  @ParameterizedTest
  @CsvSource({
    "PT0S, 0s",
    "PT0.25S, 250ms",
    "PT9.9S, 9s",
    "PT60S, 1m",
    "PT90S, 1m30s",
    "PT3601S, 1h",
    "PT25H, 1d1h",
    "PT168H, 7d",
    "PT-90S, -1m30s"
  })
  void durationsAreWrittenInTheirTwoLargestUnits(String iso, String text) {
    assertEquals(text, Durations.text(Duration.parse(iso)));
  }

  @Test
  void whatIsWrittenIsReadAgain() {
    Random random = new Random(3);
    for (int i = 0; i < 5000; i++) {
      Duration d = Duration.ofSeconds(random.nextInt(1 << random.nextInt(28) + 1));
      Duration again = Durations.parse(Durations.text(d));
      assertEquals(Durations.text(d), Durations.text(again));
    }
  }

  @Test
  void theLongestThereAreCanBeWritten() {
    assertEquals(
        "106751991167300d15h", Durations.text(Duration.ofSeconds(Long.MAX_VALUE, 999_999_999)));
    assertEquals("-106751991167300d15h", Durations.text(Duration.ofSeconds(Long.MIN_VALUE)));
    assertEquals("-1s", Durations.text(Duration.ofMillis(-1500)));
    assertEquals("-500ms", Durations.text(Duration.ofMillis(-500)));
  }
}
