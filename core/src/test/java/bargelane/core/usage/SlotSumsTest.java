package bargelane.core.usage;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.Arrays;
import org.junit.jupiter.api.Test;

class SlotSumsTest {

  private static float[] only(Metric metric, float value) {
    float[] values = new float[Metric.values().length];
    Arrays.fill(values, Float.NaN);
    values[metric.ordinal()] = value;
    return values;
  }

  @Test
  void samplesOfASlotBecomeTheirMeanWhateverTheirOrder() {
    SlotSums sums = new SlotSums();
    sums.add(86_399, only(Metric.CPU, 8));
    sums.add(301, only(Metric.CPU, 3));
    sums.add(0, only(Metric.CPU, 1));
    sums.add(299, only(Metric.CPU, 2));
    sums.add(299, only(Metric.MEMORY, 1024));
    UsageDay day = sums.means();
    assertEquals(1.5, day.get(Metric.CPU, 0), 1e-6);
    assertEquals(1024, day.get(Metric.MEMORY, 0), 1e-6);
    assertEquals(3, day.get(Metric.CPU, 1), 1e-6);
    assertEquals(8, day.get(Metric.CPU, UsageDay.SLOTS - 1), 1e-6);
    assertTrue(Double.isNaN(day.get(Metric.MEMORY, 1)));
    assertTrue(Double.isNaN(day.get(Metric.CPU, 2)));
  }
}
