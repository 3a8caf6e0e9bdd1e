package bargelane.api;

import java.time.Instant;

/** A tug, when it asked for work last, and how many passes it has in hand. */
public record TugView(String name, String version, Instant heardAt, long passes) {}
