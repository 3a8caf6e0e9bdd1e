package bargelane.api;

/**
 * What is asked to be approved.
 *
 * @param verb cutover, failover, failback, undo or settle
 * @param note for whoever answers
 */
public record ApprovalAsk(String verb, String note) {}
