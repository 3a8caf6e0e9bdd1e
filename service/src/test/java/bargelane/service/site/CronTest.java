package bargelane.service.site;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;

import java.time.Instant;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

class CronTest {

  @ParameterizedTest
  @CsvSource(
      delimiter = ';',
      value = {
        "30 2 * * *; 2026-03-28T23:00:00Z; 2026-03-29T02:30:00Z",
        "30 2 * * *; 2026-03-29T02:30:00Z; 2026-03-30T02:30:00Z",
        "*/15 * * * *; 2026-12-31T23:46:00Z; 2027-01-01T00:00:00Z",
        "0 0 29 2 *; 2026-03-01T00:00:00Z; 2028-02-29T00:00:00Z",
        "0 22 * * 5; 2026-11-28T08:00:00Z; 2026-12-04T22:00:00Z"
      })
  void fiveFieldsAreReadInUtc(String cron, Instant after, Instant due) {
    assertEquals(Optional.of(due), Cron.next(cron, after));
  }

  @Test
  void anEmptyOneIsNeverDue() {
    assertEquals(Optional.empty(), Cron.next("", Instant.EPOCH));
  }

  @ParameterizedTest
  @ValueSource(strings = {"every night", "61 * * * *", "* * * *", "0 30 2 * * *", "@reboot now"})
  void nonsenseIsRefused(String cron) {
    assertThrows(RuntimeException.class, () -> Cron.next(cron, Instant.EPOCH));
  }
}
