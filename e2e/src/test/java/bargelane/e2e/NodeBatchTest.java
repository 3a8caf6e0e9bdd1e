package bargelane.e2e;

import org.junit.jupiter.api.Test;

/** A few of the kills that {@code ./bargelane bench nodes} draws 50 of. */
class NodeBatchTest {

  @Test
  void whatANodeLeavesWhenItIsKilledTheOtherOneEnds() throws Exception {
    try (NodeBatch batch = new NodeBatch(line -> {})) {
      batch.run(3, 11);
    }
  }
}
