package bargelane.api;

/** A tug asks for work and says how long it is willing to wait. */
public record LeaseTake(String tug, Integer waitSeconds) {}
