package bargelane.api;

import java.time.Instant;

/** A line to paste on one machine, once, before an instant. It is told this once only. */
public record AgentKeyView(String site, Instant expiresAt, String line) {}
