package bargelane.api;

/** Something in the way. Codes are stable. */
public record FindingView(
    String code, boolean blocks, String thing, String cause, Remedy remedy, String who) {}
