package bargelane.api;

import java.math.BigDecimal;
import java.time.Instant;
import java.util.List;

/** An assessment; it never changes once made. */
public record AssessmentView(
    String id,
    String target,
    String basis,
    Instant at,
    List<AssessedMachine> machines,
    BigDecimal monthly,
    String currency) {}
