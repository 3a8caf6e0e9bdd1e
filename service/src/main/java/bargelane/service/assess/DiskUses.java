package bargelane.service.assess;

import bargelane.core.lane.Suggestions.Use;
import java.util.HashMap;
import java.util.Map;
import org.hibernate.Session;

/** What the disks of a site do, as it was measured for the sizes that were accepted. */
public final class DiskUses {

  private DiskUses() {}

  /**
   * By storage, for machines with an accepted size at a target, each by the revision that its size
   * is from; disks of which nothing was measured are left out.
   *
   * <p>Cost: the stored body of each such machine is read, some kilobytes.
   */
  public static Map<String, Use> of(Session s, String site, String target) {
    Map<String, Use> uses = new HashMap<>();
    s.createNativeQuery(
            "select d->>'storage', p->>'storage', count(*), max(cast(p->>'operations' as float8)),"
                + " max(cast(p->>'mib' as float8)) from size_choice c"
                + " join machine m on m.id = c.machine_id"
                + " join assessed_machine a on a.assessment_id = c.assessment_id"
                + " and a.revision = c.revision and a.machine_id = c.machine_id"
                + " cross join lateral jsonb_array_elements(cast(a.body as jsonb)->'observed'->'disks') p"
                + " cross join lateral jsonb_array_elements(m.facts->'disks') d"
                + " where c.target_site_id = :target and m.site_id = :site"
                + " and m.vanished_at is null and d->>'volume' = p->>'volume'"
                + " and cast(p->>'operations' as float8) + cast(p->>'mib' as float8) > 0"
                + " group by 1, 2",
            Object[].class)
        .setParameter("target", target)
        .setParameter("site", site)
        .getResultList()
        .forEach(
            r -> {
              Use before = uses.getOrDefault((String) r[0], Use.NONE);
              Map<String, Long> classes = new HashMap<>(before.classes());
              classes.put((String) r[1], ((Number) r[2]).longValue());
              uses.put(
                  (String) r[0],
                  new Use(
                      Math.max(before.operations(), ((Number) r[3]).doubleValue()),
                      Math.max(before.mib(), ((Number) r[4]).doubleValue()),
                      classes));
            });
    return uses;
  }
}
