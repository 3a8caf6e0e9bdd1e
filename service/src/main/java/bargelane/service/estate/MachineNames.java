package bargelane.service.estate;

import java.util.HashMap;
import java.util.Map;
import org.hibernate.Session;

/**
 * Machines as estate files name them: by name where that is one machine's at its site, otherwise by
 * id. A machine that is there goes before those of its name that have vanished.
 */
final class MachineNames {

  private record Known(String site, String name) {}

  private final Map<String, Known> known = new HashMap<>();
  private final Map<Known, String> alone = new HashMap<>();

  private MachineNames() {}

  static MachineNames of(Session s) {
    MachineNames names = new MachineNames();
    Map<Known, Integer> there = new HashMap<>();
    Map<Known, Integer> all = new HashMap<>();
    Map<String, Boolean> vanished = new HashMap<>();
    s.createNativeQuery(
            "select id, site_id, name, vanished_at is not null from machine", Object[].class)
        .getResultList()
        .forEach(
            r -> {
              Known k = new Known((String) r[1], (String) r[2]);
              names.known.put((String) r[0], k);
              vanished.put((String) r[0], (Boolean) r[3]);
              all.merge(k, 1, Integer::sum);
              if (!(Boolean) r[3]) {
                there.merge(k, 1, Integer::sum);
              }
            });
    names.known.forEach(
        (id, k) -> {
          int live = there.getOrDefault(k, 0);
          if (vanished.get(id) ? live == 0 && all.get(k) == 1 : live == 1) {
            names.alone.put(k, id);
          }
        });
    return names;
  }

  /** What a file calls a machine. */
  String name(String id) {
    Known k = known.get(id);
    return k != null && id.equals(alone.get(k)) ? k.name : id;
  }

  /** A machine of a site as a file would call it, by its name or id; as it is told if unknown. */
  String like(String site, String told) {
    Known k = known.get(told);
    return k != null && k.site.equals(site) ? name(told) : told;
  }

  /** Whether a site has, or had, a machine of an id. */
  boolean at(String site, String id) {
    Known k = known.get(id);
    return k != null && k.site.equals(site);
  }

  /** The id of a machine that a file names; what is told if it is none. */
  String id(String site, String told) {
    return alone.getOrDefault(new Known(site, told), told);
  }
}
