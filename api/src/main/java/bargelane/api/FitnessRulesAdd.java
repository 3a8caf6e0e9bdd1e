package bargelane.api;

/** Rules of the house, in place of those of that name (docs/formats/fitness.md). */
public record FitnessRulesAdd(String name, String yaml) {}
