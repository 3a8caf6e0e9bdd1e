package bargelane.service.run;

import bargelane.service.platform.Json;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.util.Map;
import java.util.Optional;

/** What a run remembers, to be read. */
public final class Notes {

  private final String run;
  private final ObjectNode stored;

  Notes(String run, ObjectNode stored) {
    this.run = run;
    this.stored = stored;
  }

  /** Those of a run that another reads. */
  public static Notes of(RunEntity run) {
    return of(run.id, run.notes);
  }

  /** Those of a run as they are stored. */
  public static Notes of(String run, String stored) {
    return new Notes(run, Json.object(stored));
  }

  public boolean has(Note<?> note) {
    return stored.hasNonNull(note.name());
  }

  public <T> Optional<T> get(Note<T> note) {
    return Optional.ofNullable(stored.get(note.name())).filter(n -> !n.isNull()).map(note::read);
  }

  /**
   * A note that an earlier step made.
   *
   * @throws IllegalStateException naming the run and the note if it was not made
   */
  public <T> T need(Note<T> note) {
    return get(note)
        .orElseThrow(() -> new IllegalStateException("run " + run + " has no note '" + note + "'"));
  }

  /** One value of a note with several. */
  public <T> Optional<T> get(Note<Map<String, T>> note, String key) {
    return get(note).map(all -> all.get(key));
  }
}
