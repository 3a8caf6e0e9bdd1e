package bargelane.api;

import java.util.List;

/** One page of a list. */
public record Page<T>(List<T> items, long total, int page, int size) {}
