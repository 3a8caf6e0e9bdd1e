package bargelane.api;

/** A network card. */
public record NicView(String network, String address, String mac) {}
