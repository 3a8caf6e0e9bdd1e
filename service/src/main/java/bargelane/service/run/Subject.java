package bargelane.service.run;

/**
 * What a run is about, as far as runs know: the kind of thing and its name are for people, the id
 * is for whoever asks for its runs.
 *
 * @param kind such as {@code wave} or {@code site}
 */
public record Subject(String kind, String id, String name) {}
