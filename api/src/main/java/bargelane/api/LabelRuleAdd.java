package bargelane.api;

/** A rule to add: whoever the filter chooses gets the label. */
public record LabelRuleAdd(String filter, String name, String value) {}
