package bargelane.api;

/**
 * One file of a guest that a refit changes.
 *
 * @param difference lines that go begin with a dash, new ones with a plus
 */
public record RefitEdit(int disk, int partition, String path, String reason, String difference) {}
