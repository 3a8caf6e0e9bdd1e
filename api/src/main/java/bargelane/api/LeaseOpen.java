package bargelane.api;

/** Asks for what a disk of a lease is written to. */
public record LeaseOpen(long epoch, int disk) {}
