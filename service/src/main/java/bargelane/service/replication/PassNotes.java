package bargelane.service.replication;

import bargelane.service.run.Note;
import java.time.Instant;

/** What passes remember, and what of other runs replication looks at. */
public final class PassNotes {

  /** The recovery point that a move works with: nobody thins it meanwhile. */
  public static final Note<String> POINT = Note.of("point", String.class);

  static final Note<String> PASS = Note.of("pass", String.class);
  static final Note<Instant> AS_OF = Note.of("asOf", Instant.class);

  /** Why the source can't tell what changed. */
  static final Note<String> MARKER_LOST = Note.of("markerLost", String.class);

  /** The marker that the leg had before the pass; noted by versions that did not note the next. */
  static final Note<String> OLD_MARKER = Note.of("oldMarker", String.class);

  /** What nobody needs once the point is recorded: the ids of its records. */
  static final Note<String[]> OVER = Note.of("over", String[].class);

  static final Note<Boolean> ONE_INSTANT = Note.of("oneInstant", Boolean.class);
  static final Note<Long> SPREAD_MS = Note.of("spreadMs", Long.class);
  static final Note<String> CONSISTENCY = Note.of("consistency", String.class);

  private PassNotes() {}
}
