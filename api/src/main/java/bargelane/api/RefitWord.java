package bargelane.api;

/** The engineer's word that a machine may move though its guest can't be refitted or judged. */
public record RefitWord(String machine, String reason) {}
