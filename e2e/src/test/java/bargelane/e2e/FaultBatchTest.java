package bargelane.e2e;

import org.junit.jupiter.api.Test;

/** A few of the faults that {@code ./bargelane bench faults} draws 200 of. */
class FaultBatchTest {

  @Test
  void everyPointThatSurvivesHoldsWhatItsDisksHeld() throws Exception {
    try (FaultBatch batch = new FaultBatch(line -> {})) {
      batch.run(3, 7);
      batch.end();
    }
  }
}
