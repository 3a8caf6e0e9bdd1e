package bargelane.e2e;

import java.io.IOException;
import org.junit.jupiter.api.Test;

class RealTourTest {

  /** The service is killed while a guest is refitted for its test, which is done once more. */
  @Test
  void failingOverAndComingHomeHoldsOnRealMachines() throws IOException, InterruptedException {
    Tours.holds(RealTour.class, "--brief", "--killing");
  }
}
