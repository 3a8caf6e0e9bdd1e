package bargelane.api;

/** A disk; size in bytes. */
public record DiskView(String volume, long bytes, String storage) {}
