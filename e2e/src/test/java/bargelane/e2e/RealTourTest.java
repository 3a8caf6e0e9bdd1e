package bargelane.e2e;

import java.io.IOException;
import org.junit.jupiter.api.Test;

class RealTourTest {

  /**
   * The service is killed while a guest is refitted for its test, and while a machine is stopped
   * for its way home and a yard waits.
   */
  @Test
  void failingOverAndComingHomeHoldsOnRealMachines() throws IOException, InterruptedException {
    Tours.holds(RealTour.class, "--brief", "--killing");
  }
}
