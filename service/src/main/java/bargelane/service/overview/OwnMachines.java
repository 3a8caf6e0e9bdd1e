package bargelane.service.overview;

import bargelane.service.approval.ApprovalEntity;
import bargelane.service.http.Limits;
import bargelane.service.http.Reach;
import bargelane.service.machine.Machines;
import bargelane.service.plan.Waves;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import bargelane.service.replication.Tows;
import bargelane.service.run.RunEntity;
import java.util.Set;
import org.hibernate.Session;

/**
 * What belongs to the machines of a filter. It is looked up for each call: a machine that loses the
 * label by which it was chosen is out of reach at once. Cost: one query over the members of waves
 * and the filter's scan of the machines, only for accounts that are limited.
 */
public record OwnMachines(Db db) implements Limits {

  @Override
  public boolean holds(Reach reach, String ref, String machines) {
    return db.tx(s -> holds(s, reach, ref, machines));
  }

  private static boolean holds(Session s, Reach reach, String ref, String machines) {
    try {
      return switch (reach) {
        case ALL, NARROWED -> true;
        case NONE -> false;
        case MACHINE -> Machines.within(s, ref, machines);
        case WAVE -> holds(s, Waves.tow(s, Waves.find(s, ref)).id, machines);
        case RUN -> {
          RunEntity run = s.find(RunEntity.class, ref);
          yield run != null && holds(s, run.subjectId, machines);
        }
        case APPROVAL -> {
          ApprovalEntity approval = s.find(ApprovalEntity.class, ref);
          yield approval != null && holds(s, approval.towId, machines);
        }
      };
    } catch (ProblemException e) {
      if (e.status() == 404) {
        return false;
      }
      throw e;
    }
  }

  private static boolean holds(Session s, String tow, String machines) {
    return Tows.within(s, machines).contains(tow);
  }

  @Override
  public Set<String> tows(String machines) {
    return db.tx(s -> Tows.within(s, machines));
  }
}
