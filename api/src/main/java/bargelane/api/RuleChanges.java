package bargelane.api;

import java.util.List;

/** Decisions of a lane, made all or none. */
public record RuleChanges(List<RuleChange> changes) {}
