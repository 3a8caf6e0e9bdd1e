package bargelane.e2e;

import java.io.IOException;
import org.junit.jupiter.api.Test;

class RealTourTest {

  @Test
  void failingOverAndComingHomeHoldsOnRealMachines() throws IOException, InterruptedException {
    Tours.holds("--real", "--brief");
  }
}
