package bargelane.service.move;

import bargelane.api.ConsoleView;
import bargelane.api.EventView;
import bargelane.core.finding.Remedy;
import bargelane.core.guest.BootSign;
import bargelane.core.guest.ConsoleText;
import bargelane.service.platform.Db;
import bargelane.service.platform.Remedies;
import bargelane.service.replication.MemberEntity;
import bargelane.service.run.Runs;
import bargelane.sites.Compute;
import bargelane.sites.SiteException;
import java.time.Clock;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/** Serial consoles of the machines that runs start, kept with their runs. */
public final class Consoles {

  private static final Logger LOG = LoggerFactory.getLogger(Consoles.class);

  private final Db db;
  private final Clock clock;

  public Consoles(Db db, Clock clock) {
    this.db = db;
    this.clock = clock;
  }

  /**
   * Looks at a machine's console, keeps it, and gives what it says. A console that can't be read
   * says nothing; a start does not fail for it.
   */
  Optional<BootSign.Seen> look(
      String runId, MemberEntity m, String site, Compute compute, String id) {
    Optional<byte[]> told;
    try {
      told = compute.console(id, ConsoleText.MOST);
    } catch (SiteException e) {
      LOG.info("run={} the console of {} can't be read: {}", runId, m.name, e.getMessage());
      return Optional.empty();
    }
    if (told.isEmpty()) {
      return Optional.empty();
    }
    String text = ConsoleText.of(told.get());
    keep(new ConsoleEntity.Key(runId, m.id), m.name, site, text);
    return BootSign.in(text);
  }

  /** Keeps a text, whoever else keeps the same at this moment. */
  private void keep(ConsoleEntity.Key key, String machine, String site, String text) {
    db.run(
        s ->
            s.createNativeMutationQuery(
                    "insert into run_console as c (run_id, member_id, machine, site, at, text)"
                        + " values (?1, ?2, ?3, ?4, ?5, ?6) on conflict (run_id, member_id) do update"
                        + " set site = excluded.site, at = excluded.at, text = excluded.text"
                        + " where (c.site, c.text) <> (excluded.site, excluded.text)")
                .setParameter(1, key.runId())
                .setParameter(2, key.memberId())
                .setParameter(3, machine)
                .setParameter(4, site)
                .setParameter(5, clock.instant())
                .setParameter(6, text)
                .executeUpdate());
  }

  /** Those of a run, by machine. */
  public List<ConsoleView> of(String run) {
    return db.tx(
        s -> {
          Runs.find(s, run);
          return Db.list(
                  s,
                  ConsoleEntity.class,
                  "from ConsoleEntity where key.runId = ?1 order by machine",
                  run)
              .stream()
              .map(Consoles::view)
              .toList();
        });
  }

  /** Of each run that is open, when one of its consoles changed last: told to those who look. */
  public List<EventView> changing() {
    return db.tx(
        s ->
            Db.query(
                    s,
                    Object[].class,
                    "select r.subjectId, r.id, max(c.at) from ConsoleEntity c, RunEntity r"
                        + " where r.id = c.key.runId and r.endedAt is null"
                        + " group by r.subjectId, r.id")
                .getResultList()
                .stream()
                .map(
                    c ->
                        new EventView(
                            0,
                            clock.instant(),
                            "console",
                            c[0].toString(),
                            c[1].toString(),
                            "a console changed",
                            "",
                            Map.of("at", c[2])))
                .toList());
  }

  private static ConsoleView view(ConsoleEntity c) {
    Optional<BootSign.Seen> seen = BootSign.in(c.text);
    return new ConsoleView(
        c.machine,
        c.site,
        c.at,
        seen.map(s -> s.sign().word()).orElse(""),
        seen.map(s -> s.sign().isEnd()).orElse(false),
        seen.map(s -> s.sign().cause()).orElse(""),
        Remedies.view(seen.map(s -> Remedy.advice(s.sign().advice())).orElse(Remedy.NONE)),
        c.text);
  }
}
