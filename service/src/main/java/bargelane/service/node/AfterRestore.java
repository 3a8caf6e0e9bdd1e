package bargelane.service.node;

import bargelane.service.account.Audit;
import bargelane.service.account.Caller;
import bargelane.service.account.Tokens;
import bargelane.service.backup.Backups;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.SettingEntity;
import bargelane.service.replication.Tows;
import bargelane.service.run.RunEngine;
import bargelane.service.site.Ledger;
import java.time.Clock;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.List;
import java.util.Map;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * What the first node does that starts with records from a backup, before anything is driven: the
 * world has gone on since they were made.
 */
final class AfterRestore {

  private static final Logger log = LoggerFactory.getLogger(AfterRestore.class);

  private AfterRestore() {}

  /** Does it, once, in one transaction; nothing where the records are not from a backup. */
  static void settle(Db db, RunEngine runs, Audit audit, Events events, Clock clock) {
    db.run(
        s -> {
          Db.lock(s, Backups.RESTORED);
          SettingEntity restored = s.find(SettingEntity.class, Backups.RESTORED);
          if (restored == null) {
            return;
          }
          Instant madeAt = Instant.parse(restored.value);
          List<String> ended = runs.restored(s, madeAt);
          Tows.restored(s, madeAt, clock.instant());
          Ledger.restored(s);
          Tokens.restored(s);
          Events.restored(s);
          s.createNativeMutationQuery(
                  "update scheduled_tasks set picked = false, picked_by = null, last_heartbeat = null")
              .executeUpdate();
          s.remove(restored);
          String told =
              "the service was restored from a backup of "
                  + madeAt.truncatedTo(ChronoUnit.SECONDS)
                  + (ended.isEmpty() ? "" : "; open then: " + String.join(", ", ended));
          events.tell(s, "service", "", null, told, Map.of("ended", ended));
          audit.asked(
              new Audit.Call(
                  Caller.nobody("the host"),
                  "RESTORE",
                  "a backup of " + madeAt.truncatedTo(ChronoUnit.SECONDS),
                  "",
                  ""));
          log.warn("{}", told);
        });
  }
}
