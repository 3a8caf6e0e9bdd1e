package bargelane.service.plan;

import bargelane.service.assess.SizeTaker;
import bargelane.service.platform.Db;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import org.hibernate.Session;

/** Machines of open waves get the sizes that are accepted for them. */
public final class WaveSizes implements SizeTaker {

  @Override
  public Set<String> take(Session s, String targetSiteId, Map<String, String> sizes, String basis) {
    Set<String> waves = new TreeSet<>();
    for (Object[] row :
        Db.list(
            s,
            Object[].class,
            "select x.machineId, x.id, t.name from MemberEntity x join TowEntity t on t.id = x.towId"
                + " join LaneEntity l on l.id = t.laneId"
                + " where x.open and l.toSiteId = ?1 and t.settledAt is null",
            targetSiteId)) {
      String size = sizes.get((String) row[0]);
      if (size != null) {
        Db.change(
            s,
            "update MemberEntity set size = ?1, sizeBasis = ?2 where id = ?3",
            size,
            basis,
            row[1]);
        waves.add((String) row[2]);
      }
    }
    return waves;
  }
}
