package bargelane.service.run;

import bargelane.api.Problem;
import bargelane.service.platform.Json;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.time.Instant;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;
import java.util.function.Supplier;
import org.hibernate.Session;

/**
 * A run while it is driven: its input, and notes that are stored before the next line of code runs.
 * All writes carry the run's epoch; when another has taken over they throw {@link StaleEpoch}. A
 * step may do several things at once: one note is read or written at a time.
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

  public long epoch() {
    return run.epoch;
  }

  RunEntity entity() {
    return run;
  }

  /** What the run was started with. */
  public JsonNode input() {
    return input;
  }

  /** What it remembers so far. */
  public Notes notes() {
    return new Notes(run.id, notes);
  }

  public synchronized boolean has(Note<?> note) {
    return notes().has(note);
  }

  /** A note, if it was made. */
  public synchronized <T> Optional<T> get(Note<T> note) {
    return notes().get(note);
  }

  /** A note that an earlier step made. */
  public synchronized <T> T need(Note<T> note) {
    return notes().need(note);
  }

  /** The note, made now if it was not. Stored when this returns. */
  public synchronized <T> T once(Note<T> note, Supplier<T> make) {
    if (!has(note)) {
      put(note, make.get());
    }
    return need(note);
  }

  /**
   * The note, made now if it was not: what it names and the note itself are stored in one
   * transaction, so that neither is ever there without the other.
   */
  public synchronized <T> T makeOnce(Note<T> note, Function<Session, T> make) {
    if (!has(note)) {
      ObjectNode with = notes.deepCopy();
      store.notes(
          run,
          s -> {
            with.set(note.name(), note.write(make.apply(s)));
            // What was left meanwhile goes with it.
            with.setAll(notes);
            return with.toString();
          });
      notes.setAll(with);
    }
    return need(note);
  }

  /** Stores a note. */
  public synchronized <T> void put(Note<T> note, T value) {
    notes.set(note.name(), note.write(value));
    store.notes(run, s -> notes.toString());
  }

  /**
   * A note that is stored with the end of the step, or when it waits: whoever dies before makes it
   * anew.
   */
  public synchronized <T> void leave(Note<T> note, T value) {
    notes.set(note.name(), note.write(value));
    run.notes = notes.toString();
    run.notesLeft = true;
  }

  /** Stores one value of a note with several. */
  public synchronized <T> void put(Note<Map<String, T>> note, String key, T value) {
    Map<String, T> all = new LinkedHashMap<>(get(note).orElse(Map.of()));
    all.put(key, value);
    put(note, all);
  }

  /** Stores what the run came to; shown with it. */
  public synchronized void result(Object value) {
    store.result(run, Json.text(value));
  }

  /** The problem that is being backed out. */
  public Optional<Problem> problem() {
    return Optional.ofNullable(run.problem).map(p -> Json.read(p, Problem.class));
  }
}
