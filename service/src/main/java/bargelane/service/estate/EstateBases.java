package bargelane.service.estate;

import bargelane.core.estate.EstatePath;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import com.fasterxml.jackson.core.type.TypeReference;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.SortedMap;
import java.util.TreeMap;
import org.hibernate.LockMode;
import org.hibernate.Session;

/** The rows of what files and the installation were last the same in. */
final class EstateBases {

  /** How many are kept: those that were used last. */
  static final int MOST = 500;

  private record Entry(List<String> at, String value) {}

  private EstateBases() {}

  /** Keeps what a new file is written from; gives the id by which the file says so. */
  static String keep(Session s, SortedMap<EstatePath, String> values, String by, Instant now) {
    EstateBaseEntity base = new EstateBaseEntity();
    base.id = Ids.next("base");
    base.entries = text(values);
    base.madeBy = by;
    base.madeAt = now;
    base.used = next(s);
    s.persist(base);
    s.flush();
    s.createNativeMutationQuery(
            "delete from estate_base where id in"
                + " (select id from estate_base order by used desc, id offset "
                + MOST
                + ")")
        .executeUpdate();
    return base.id;
  }

  /** What a file goes back to; none where that is not known, or not any more. */
  static Optional<SortedMap<EstatePath, String>> read(Session s, String id) {
    return Db.first(s, EstateBaseEntity.class, "from EstateBaseEntity where id = ?1", id)
        .map(
            base -> {
              SortedMap<EstatePath, String> values = new TreeMap<>();
              Json.read(base.entries, new TypeReference<List<Entry>>() {})
                  .forEach(e -> values.put(new EstatePath(e.at), e.value));
              return values;
            });
  }

  /** A file was imported: the next import of it is held against what it says now. */
  static void change(Session s, String id, SortedMap<EstatePath, String> values) {
    EstateBaseEntity base = s.find(EstateBaseEntity.class, id, LockMode.PESSIMISTIC_WRITE);
    base.entries = text(values);
    base.used = next(s);
  }

  private static long next(Session s) {
    return Db.first(s, Long.class, "select coalesce(max(used), 0) + 1 from EstateBaseEntity")
        .orElse(1L);
  }

  private static String text(SortedMap<EstatePath, String> values) {
    List<Entry> entries = new ArrayList<>();
    values.forEach((path, value) -> entries.add(new Entry(path.steps(), value)));
    return Json.text(entries);
  }
}
