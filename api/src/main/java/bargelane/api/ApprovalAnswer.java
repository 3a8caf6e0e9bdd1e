package bargelane.api;

/**
 * An answer to what was asked.
 *
 * @param reason of one that declines; may be left out of one that approves
 */
public record ApprovalAnswer(Boolean approved, String reason) {}
