package bargelane.api;

import java.util.List;

/**
 * A disk; size in bytes. {@code mounts} is where it, or what lies on it, is mounted: told of one
 * machine only, and only if it was read from inside.
 */
public record DiskView(String volume, long bytes, String storage, List<String> mounts) {}
