package bargelane.api;

import java.time.Instant;

/** Whether the service works. */
public record Health(String status, String version, Instant now) {}
