package bargelane.core.usage;

import java.util.List;

/** What a machine asks of a size: metrics that a size has one limit for, brought together. */
public enum Load {
  CPU("processors", Metric.CPU),
  MEMORY("bytes", Metric.MEMORY),
  OPERATIONS("/s", Metric.READS, Metric.WRITES),
  THROUGHPUT("bytes/s", Metric.READ_BYTES, Metric.WRITTEN_BYTES),
  /** In the busier direction, since a card carries both at once. */
  NETWORK("bytes/s", Metric.RECEIVED_BYTES, Metric.SENT_BYTES);

  private final String unit;
  private final List<Metric> metrics;

  Load(String unit, Metric... metrics) {
    this.unit = unit;
    this.metrics = List.of(metrics);
  }

  public String unit() {
    return unit;
  }

  /** What was measured in a slot, brought together; NaN if nothing was. */
  float of(UsageDay day, int slot) {
    float all = Float.NaN;
    for (Metric metric : metrics) {
      float value = day.get(metric, slot);
      if (!Float.isNaN(value)) {
        all = Float.isNaN(all) ? value : this == NETWORK ? Math.max(all, value) : all + value;
      }
    }
    return all;
  }
}
