package bargelane.core.usage;

import java.util.Locale;

/** What is measured of a machine over time, in the order in which samples hold it. */
public enum Metric {
  CPU("processors"),
  MEMORY("bytes"),
  READ_BYTES("bytes/s"),
  READS("/s"),
  WRITTEN_BYTES("bytes/s"),
  WRITES("/s"),
  RECEIVED_BYTES("bytes/s"),
  SENT_BYTES("bytes/s");

  private final String unit;

  Metric(String unit) {
    this.unit = unit;
  }

  public String unit() {
    return unit;
  }

  /** Its name as people and programs write it. */
  public String text() {
    return name().toLowerCase(Locale.ROOT).replace('_', '-');
  }
}
