package bargelane.service.plan;

import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.platform.Json;
import com.fasterxml.jackson.core.type.TypeReference;
import java.lang.ref.SoftReference;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import org.hibernate.Session;

/**
 * The machines of a site's own that are there, with their facts and labels, by name. What was read
 * is kept while no row of the site has changed, since reading 10,000 machines' facts takes longer
 * than placing them; it is given up when memory is short.
 *
 * <p>Cost: a look at the system column of each of the site's rows, without their documents; when
 * one is different, the documents of all.
 */
final class SiteMachines {

  private static final TypeReference<TreeMap<String, String>> LABELS = new TypeReference<>() {};

  /** One machine. */
  record Row(String id, SortedMap<String, String> labels, MachineFacts facts) {}

  private record Read(String rows, List<Row> machines) {}

  private final Map<String, SoftReference<Read>> kept = new ConcurrentHashMap<>();

  List<Row> of(Session s, String site) {
    // The transaction that wrote a row last (PostgreSQL's documentation, "System Columns"): two
    // states of a site never have the same rows with the same writers.
    String rows =
        s.createNativeQuery(
                "select count(*) || ' ' || coalesce(md5(string_agg(id || cast(xmin as text), ' '"
                    + " order by id)), '') from machine where site_id = :site",
                String.class)
            .setParameter("site", site)
            .getSingleResult();
    SoftReference<Read> before = kept.get(site);
    Read read = before == null ? null : before.get();
    if (read == null || !read.rows().equals(rows)) {
      read = new Read(rows, read(s, site));
      kept.put(site, new SoftReference<>(read));
    }
    return read.machines();
  }

  private static List<Row> read(Session s, String site) {
    List<Row> machines = new ArrayList<>();
    for (Object[] r :
        s.createNativeQuery(
                "select id, cast(facts as text), cast(labels as text) from machine"
                    + " where site_id = :site and vanished_at is null and facts->>'owner' = ''"
                    + " order by name, id",
                Object[].class)
            .setParameter("site", site)
            .getResultList()) {
      machines.add(
          new Row(
              (String) r[0],
              Collections.unmodifiableSortedMap(Json.read((String) r[2], LABELS)),
              Json.read((String) r[1], MachineFacts.class)));
    }
    return List.copyOf(machines);
  }
}
