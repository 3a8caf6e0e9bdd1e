package bargelane.api;

import java.util.List;

/**
 * Rules of fitness.
 *
 * @param shipped whether they come with the service
 */
public record FitnessRulesView(
    String name, String version, boolean shipped, String by, List<RuleView> rules, int systems) {

  /** One rule. */
  public record RuleView(String id, String code, String effect, List<String> when, String cause) {}
}
