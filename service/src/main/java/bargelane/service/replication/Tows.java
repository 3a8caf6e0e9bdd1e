package bargelane.service.replication;

import bargelane.core.replication.LegState;
import bargelane.service.platform.Db;
import org.hibernate.LockMode;
import org.hibernate.Session;

/** What is recorded of tows as a whole. */
public final class Tows {

  private Tows() {}

  /** Whether a tow has a recovery point. */
  public static boolean hasPoints(Session s, String towId) {
    return Db.first(s, String.class, "select id from PointEntity where towId = ?1", towId)
        .isPresent();
  }

  /** Closes the legs of a tow, each under its lock: no pass begins on it any more. */
  public static void end(Session s, String towId) {
    for (LegEntity leg : Db.list(s, LegEntity.class, "from LegEntity where towId = ?1", towId)) {
      s.refresh(leg, LockMode.PESSIMISTIC_WRITE);
      leg.state = LegState.CLOSED;
    }
  }

  /** Deletes the records of a tow that holds nothing; its passes, legs and members. */
  public static void forget(Session s, String towId) {
    s.createNativeMutationQuery(
            "delete from pass_digests where pass_id in (select id from pass where tow_id = ?1)")
        .setParameter(1, towId)
        .executeUpdate();
    Db.change(s, "delete from PassEntity where towId = ?1", towId);
    Db.change(
        s,
        "delete from ReplicaEntity where legId in (select id from LegEntity where towId = ?1)",
        towId);
    Db.change(s, "delete from LegEntity where towId = ?1", towId);
    Db.change(s, "delete from MemberEntity where towId = ?1", towId);
  }
}
