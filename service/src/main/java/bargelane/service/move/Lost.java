package bargelane.service.move;

import bargelane.service.platform.Db;
import bargelane.service.platform.SettingEntity;
import bargelane.service.replication.Side;
import java.util.Optional;
import org.hibernate.Session;

/**
 * Sides that a person declared lost while a run waits for them. What is said of a run lies beside
 * it, since its driver writes its notes as a whole.
 */
final class Lost {

  private Lost() {}

  private static String name(String runId, Side side) {
    return "lost-" + runId + "-" + side;
  }

  /** Records who declared a side lost; the first counts. */
  static void declare(Session s, String runId, Side side, String by) {
    if (s.find(SettingEntity.class, name(runId, side)) == null) {
      SettingEntity e = new SettingEntity();
      e.name = name(runId, side);
      e.value = by;
      s.persist(e);
    }
  }

  /** Who declared a side lost for a run; none if nobody did. */
  static Optional<String> by(Db db, String runId, Side side) {
    return db.tx(s -> Optional.ofNullable(s.find(SettingEntity.class, name(runId, side))))
        .map(e -> e.value);
  }
}
