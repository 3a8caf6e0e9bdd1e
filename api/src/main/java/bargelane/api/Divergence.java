package bargelane.api;

import org.jspecify.annotations.Nullable;

/** What each side wrote that the other has not, since the common point; bytes of tracked blocks. */
public record Divergence(
    String commonPoint,
    String home,
    long homeBytes,
    String away,
    long awayBytes,
    @Nullable Double overlapSeconds) {}
