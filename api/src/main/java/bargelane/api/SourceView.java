package bargelane.api;

import java.time.Instant;

/** Who told of a machine, and when last. {@code home} is the one that its disks are read from. */
public record SourceView(String site, String kind, boolean home, Instant seenAt) {}
