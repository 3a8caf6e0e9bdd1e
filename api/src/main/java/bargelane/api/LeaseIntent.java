package bargelane.api;

/** What a pass may write on one disk; stored before the first write. */
public record LeaseIntent(long epoch, int disk, String ranges, boolean anywhere) {}
