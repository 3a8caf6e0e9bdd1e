package bargelane.e2e;

import java.io.IOException;
import org.junit.jupiter.api.Test;

class TourTest {

  /** Every step is idempotent, so what is checked past the service holds as if nothing had been. */
  @Test
  void theWholeExampleHoldsThoughTheServiceIsKilledInTheMiddleOfEachMove()
      throws IOException, InterruptedException {
    Tours.holds(Tour.class, "--killing", "--steps");
  }
}
