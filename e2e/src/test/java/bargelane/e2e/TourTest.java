package bargelane.e2e;

import java.io.IOException;
import org.junit.jupiter.api.Test;

class TourTest {

  @Test
  void theWholeExampleHolds() throws IOException, InterruptedException {
    Tours.holds();
  }
}
