package bargelane.service.platform;

import java.time.Instant;
import org.hibernate.Session;

/**
 * The scheduler's table, written in a caller's transaction, so that what is to be done and when are
 * stored together. The rows are as db-scheduler writes them itself.
 */
public final class ScheduledTasks {

  private ScheduledTasks() {}

  /**
   * Has a task's instance done at an instant, or before it if it is already to be done earlier. One
   * that is being done at this moment is left alone: it says itself when it is to be done again.
   */
  public static void by(Session s, String task, String instance, Instant at) {
    s.createNativeMutationQuery(
            "insert into scheduled_tasks (task_name, task_instance, execution_time, picked, version)"
                + " values (:task, :instance, :at, false, 1)"
                + " on conflict (task_name, task_instance) do update"
                + " set execution_time = excluded.execution_time,"
                + " version = scheduled_tasks.version + 1"
                + " where not scheduled_tasks.picked"
                + " and scheduled_tasks.execution_time > excluded.execution_time")
        .setParameter("task", task)
        .setParameter("instance", instance)
        .setParameter("at", at)
        .executeUpdate();
  }
}
