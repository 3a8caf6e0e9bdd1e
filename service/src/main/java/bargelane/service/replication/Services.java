package bargelane.service.replication;

import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.run.RunEngine;
import bargelane.service.site.Ledger;
import bargelane.service.site.Sites;
import java.time.Clock;

/** The parts that runs work with. */
public record Services(
    Db db, Clock clock, Events events, Sites sites, Ledger ledger, RunEngine runs, Passes passes) {

  /** Whose the copies of tows are. */
  public Custody custody() {
    return new Custody(db, sites, ledger);
  }
}
