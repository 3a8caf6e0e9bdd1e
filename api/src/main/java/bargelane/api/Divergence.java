package bargelane.api;

/** What each side wrote that the other has not, since the common point; bytes of tracked blocks. */
public record Divergence(
    String commonPoint,
    String home,
    long homeBytes,
    String away,
    long awayBytes,
    Double overlapSeconds) {}
