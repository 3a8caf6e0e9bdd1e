package bargelane.api;

/** How many machines were chosen, and how many of them have other labels now. */
public record LabelResult(int chosen, int changed) {}
