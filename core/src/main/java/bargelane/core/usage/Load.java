package bargelane.core.usage;

import java.util.List;

/** What a machine asks of a size: metrics that a size has one limit for, added up. */
public enum Load {
  CPU("processors", Metric.CPU),
  MEMORY("bytes", Metric.MEMORY),
  OPERATIONS("/s", Metric.READS, Metric.WRITES),
  THROUGHPUT("bytes/s", Metric.READ_BYTES, Metric.WRITTEN_BYTES),
  RECEIVED("bytes/s", Metric.RECEIVED_BYTES),
  SENT("bytes/s", Metric.SENT_BYTES);

  private final String unit;
  private final List<Metric> metrics;

  Load(String unit, Metric... metrics) {
    this.unit = unit;
    this.metrics = List.of(metrics);
  }

  public String unit() {
    return unit;
  }

  /** The sum of what was measured in a slot; NaN if nothing was. */
  float of(UsageDay day, int slot) {
    float sum = Float.NaN;
    for (Metric metric : metrics) {
      float value = day.get(metric, slot);
      if (!Float.isNaN(value)) {
        sum = Float.isNaN(sum) ? value : sum + value;
      }
    }
    return sum;
  }
}
