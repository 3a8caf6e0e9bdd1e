package bargelane.api;

/** A size chosen for a machine of a wave: by hand, or from an assessment by its id. */
public record SizeChoice(String machine, String size, String assessment) {}
