package bargelane.api;

import java.time.Instant;
import java.util.List;

/**
 * An approval that was asked for.
 *
 * @param verb what is to be done with the wave
 * @param machines what it is about, each with its rank and where it is to land
 * @param state open, approved, declined, withdrawn or lapsed
 * @param changed what of it is planned otherwise by now
 * @param reason of the answer
 */
public record ApprovalView(
    String id,
    String wave,
    String verb,
    List<String> machines,
    String state,
    List<String> changed,
    String note,
    String askedBy,
    Instant askedAt,
    String answeredBy,
    Instant answeredAt,
    String reason) {}
