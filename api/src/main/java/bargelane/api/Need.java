package bargelane.api;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/** One thing that needs the engineer, most urgent first. */
public record Need(
    String urgency,
    String thing,
    String cause,
    Remedy remedy,
    String wave,
    @Nullable Instant since) {}
