package bargelane.api;

import java.time.Instant;
import java.util.List;

/** One fact about a machine, as each source tells it; the one that counts comes first. */
public record FactView(String fact, List<Told> told) {

  /** What a source told, and when it did last. */
  public record Told(String value, String site, Instant at) {}
}
