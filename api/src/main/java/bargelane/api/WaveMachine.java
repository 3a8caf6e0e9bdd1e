package bargelane.api;

/** A machine to put in a wave, with its start order. */
public record WaveMachine(String machine, int rank) {}
