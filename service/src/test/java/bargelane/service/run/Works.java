package bargelane.service.run;

import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import java.time.Clock;

/** Takes a run as the engine does, for tests of single steps. */
public final class Works {

  private Works() {}

  /** The run as a new life of the service finds it: under a new epoch, with its stored notes. */
  public static Work take(Db db, Events events, Clock clock, String runId) {
    return new Work(
        new RunStore(db, events, clock), db.tx(s -> RunStore.take(s, runId)).orElseThrow());
  }
}
