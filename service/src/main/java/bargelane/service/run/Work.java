package bargelane.service.run;

import bargelane.api.Problem;
import bargelane.service.platform.Json;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.time.Instant;
import java.util.Optional;
import java.util.function.Function;
import org.hibernate.Session;

/**
 * A run while it is driven: its input, and notes that are stored before the next line of code runs.
 * All writes carry the run's epoch; when another has taken over they throw {@link StaleEpoch}.
 */
public final class Work {

  /** Another node, or an earlier life of this one, no longer owns the run. */
  public static final class StaleEpoch extends RuntimeException {
    private static final long serialVersionUID = 1;

    public StaleEpoch(String run) {
      super("run " + run + " was taken over");
    }
  }

  private final RunStore store;
  private final RunEntity run;
  private final ObjectNode input;
  private final ObjectNode notes;

  Work(RunStore store, RunEntity run) {
    this.store = store;
    this.run = run;
    this.input = Json.object(run.input);
    this.notes = Json.object(run.notes);
  }

  public String runId() {
    return run.id;
  }

  /** The id of what the run is about. */
  public String subjectId() {
    return run.subjectId;
  }

  public String startedBy() {
    return run.startedBy;
  }

  public Instant startedAt() {
    return run.startedAt;
  }

  long epoch() {
    return run.epoch;
  }

  RunEntity entity() {
    return run;
  }

  /** What the run was started with. */
  public JsonNode input() {
    return input;
  }

  /** A note, if it was made. */
  public Optional<String> note(String key) {
    return Optional.ofNullable(notes.get(key)).map(JsonNode::asText);
  }

  /** All notes. */
  public JsonNode notes() {
    return notes;
  }

  /** A note as JSON; missing if it was not made. */
  public JsonNode noted(String key) {
    return notes.path(key);
  }

  /** The note, made now if it was not. Stored when this returns. */
  public String noteOnce(String key, java.util.function.Supplier<String> make) {
    if (!notes.has(key)) {
      note(key, make.get());
    }
    return notes.get(key).asText();
  }

  /**
   * The note, made now if it was not: what it names and the note itself are stored in one
   * transaction, so that neither is ever there without the other.
   */
  public String makeOnce(String key, Function<Session, String> make) {
    if (!notes.has(key)) {
      ObjectNode with = notes.deepCopy();
      store.notes(run, s -> with.put(key, make.apply(s)).toString());
      notes.setAll(with);
    }
    return notes.get(key).asText();
  }

  /** Stores a note. */
  public void note(String key, Object value) {
    notes.set(key, Json.MAPPER.valueToTree(value));
    store.notes(run, s -> notes.toString());
  }

  /** Stores what the run came to; shown with it. */
  public void result(Object value) {
    store.result(run, Json.text(value));
  }

  /** The problem that is being backed out. */
  public Optional<Problem> problem() {
    return Optional.ofNullable(run.problem).map(p -> Json.read(p, Problem.class));
  }
}
