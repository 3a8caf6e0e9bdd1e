package bargelane.api;

/** Where a network card lands. */
public record PlacedNicView(String network, String address, boolean kept) {}
