package bargelane.api;

/** A tug of a version asks for work and says how long it is willing to wait. */
public record LeaseTake(String tug, String version, Integer waitSeconds) {}
