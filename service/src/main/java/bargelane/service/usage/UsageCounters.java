package bargelane.service.usage;

import bargelane.service.platform.Json;
import java.time.Duration;
import java.time.Instant;
import java.util.HashSet;
import java.util.Set;
import org.hibernate.Session;

/**
 * Counters until they are looked at again, by machine and by who told them: those of a guest and
 * those of its platform begin and count differently. Where several tell of one machine the closest
 * counts: its agent before who reads it over SSH before its platform.
 */
final class UsageCounters {

  /** Who has not told anything for so long is not waited for. */
  private static final Duration LATELY = Duration.ofMinutes(10);

  private static final String RANK =
      "case %s.kind when 'agents' then 0 when 'servers' then 1 else 2 end";

  private UsageCounters() {}

  /** What is kept, to be filled if it is new. */
  static UsageCounterEntity of(Session s, String machine, String site) {
    UsageCounterEntity e =
        s.find(UsageCounterEntity.class, new UsageCounterEntity.Key(machine, site));
    if (e == null) {
      e = new UsageCounterEntity();
      e.machineId = machine;
      e.source = site;
    }
    return e;
  }

  static void keep(Session s, UsageCounterEntity e, Instant at, Object counters) {
    boolean fresh = e.counters == null;
    e.at = at;
    e.counters = Json.text(counters);
    if (fresh) {
      s.persist(e);
    }
  }

  /** Machines that a source closer to them than a site told of lately. */
  static Set<String> toldByCloser(Session s, String site, Instant now) {
    return new HashSet<>(
        s.createNativeQuery(
                "select c.machine_id from usage_counter c join site o on o.id = c.source, site t"
                    + " where t.id = :site and c.at > :since and "
                    + RANK.formatted("o")
                    + " < "
                    + RANK.formatted("t"),
                String.class)
            .setParameter("site", site)
            .setParameter("since", now.minus(LATELY))
            .getResultList());
  }
}
