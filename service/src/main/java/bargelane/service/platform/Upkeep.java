package bargelane.service.platform;

import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;

/**
 * Removes history that nobody looks back at: each room says what of its rows that is. What people
 * look back at (events, changes of machines, connections that were not seen again) goes when it is
 * older than an installation wants to keep it. Runs asked for by people, their dossiers, the months
 * of use and the audit stay.
 */
public final class Upkeep {

  /** How long passes can be looked back at. */
  public static final Duration KEPT = Duration.ofDays(2);

  private final Db db;
  private final Clock clock;
  private final List<String> deletions;
  private final List<String> past;
  private final Duration history;

  /**
   * @param deletions native statements, in the order in which they run; {@code ?1} is the time
   *     before which rows are old
   * @param past the same, of what is kept for as long as {@code history}
   */
  public Upkeep(Db db, Clock clock, List<String> deletions, List<String> past, Duration history) {
    this.db = db;
    this.clock = clock;
    this.deletions = List.copyOf(deletions);
    this.past = List.copyOf(past);
    this.history = history;
  }

  /** Removes what is older than it is kept; gives the number of rows. */
  public int tidy() {
    Instant now = clock.instant();
    return delete(deletions, now.minus(KEPT)) + delete(past, now.minus(history));
  }

  private int delete(List<String> statements, Instant before) {
    return db.tx(
        s -> {
          int rows = 0;
          for (String sql : statements) {
            rows += s.createNativeMutationQuery(sql).setParameter(1, before).executeUpdate();
          }
          return rows;
        });
  }
}
