package bargelane.api;

import java.time.Instant;

/** What the newest revision of an assessment says of a machine. */
public record MachineAssessment(
    String assessment,
    int revision,
    String target,
    String book,
    Instant at,
    String basis,
    String currency,
    AssessedRow row) {}
