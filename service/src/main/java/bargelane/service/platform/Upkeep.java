package bargelane.service.platform;

import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;

/**
 * Removes history that nobody looks back at: each room says what of its rows that is. Runs asked
 * for by people, their events and their dossiers stay.
 */
public final class Upkeep {

  /** How long passes can be looked back at. */
  public static final Duration KEPT = Duration.ofDays(2);

  private final Db db;
  private final Clock clock;
  private final List<String> deletions;

  /**
   * @param deletions native statements, in the order in which they run; {@code ?1} is the time
   *     before which rows are old
   */
  public Upkeep(Db db, Clock clock, List<String> deletions) {
    this.db = db;
    this.clock = clock;
    this.deletions = List.copyOf(deletions);
  }

  /** Removes what is older than {@link #KEPT}; gives the number of rows. */
  public int tidy() {
    Instant before = clock.instant().minus(KEPT);
    return db.tx(
        s -> {
          int rows = 0;
          for (String sql : deletions) {
            rows += s.createNativeMutationQuery(sql).setParameter(1, before).executeUpdate();
          }
          return rows;
        });
  }
}
