package bargelane.api;

import java.time.Instant;

/**
 * A rule that gives a label to every machine that a filter chooses.
 *
 * @param machines that have the label from it now
 */
public record LabelRuleView(
    String id,
    String filter,
    String name,
    String value,
    String madeBy,
    Instant madeAt,
    long machines) {}
