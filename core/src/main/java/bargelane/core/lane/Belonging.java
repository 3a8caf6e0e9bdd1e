package bargelane.core.lane;

import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Whose a machine is at the target.
 *
 * @param project the account or project that owns it, with its folders; empty for the target's own
 *     choice
 * @param identity the one that it runs under; empty for none
 * @param labels that it gets besides its own, or instead of those of the same key
 */
public record Belonging(String project, String identity, Map<String, String> labels) {

  /** Nothing is said. */
  public static final Belonging UNSAID = new Belonging("", "", Map.of());

  /** Labels of a decision at most. */
  private static final int MOST = 30;

  private static final Pattern ONE =
      Pattern.compile("([\\p{L}][\\p{L}\\p{N}._/-]{0,62})=([^;=\\p{Cntrl}]{0,120})");

  public Belonging {
    labels = Map.copyOf(labels);
  }

  /** Labels as people write them, such as {@code cost-centre=12; owner=library}; none if wrong. */
  public static Optional<Map<String, String>> labels(String text) {
    Map<String, String> all = new LinkedHashMap<>();
    for (String part : text.split(";", -1)) {
      Matcher m = ONE.matcher(part.strip());
      if (!m.matches() || all.put(m.group(1), m.group(2).strip()) != null || all.size() > MOST) {
        return Optional.empty();
      }
    }
    return Optional.of(all);
  }

  /** All labels that a machine has at the target. */
  public Map<String, String> labelsOf(Map<String, String> atSource) {
    Map<String, String> all = new LinkedHashMap<>(atSource);
    all.putAll(labels);
    return all;
  }
}
