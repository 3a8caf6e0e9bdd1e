package bargelane.api;

/** A typed confirmation: the wave name. */
public record ConfirmRequest(String confirm) {}
