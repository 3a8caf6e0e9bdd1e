package bargelane.service.machine;

import bargelane.core.guest.Survey;
import bargelane.core.machine.Marks;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.site.SiteEntity;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.hibernate.Session;

/**
 * Tells that a machine that one source tells of is one that another told of already: by {@link
 * Marks}, where those belong to one machine and to no other.
 */
final class Recognition {

  /** Names our lock among the database's advisory ones. */
  private static final long RECOGNISING = 0x7265636f676e6973L;

  private final Session s;
  private final boolean anySightings;

  /** Until the transaction ends nobody else recognises, so that none is made twice. */
  Recognition(Session s) {
    this.s = s;
    s.doWork(
        c -> {
          try (var lock = c.prepareStatement("select pg_advisory_xact_lock(?)")) {
            lock.setLong(1, RECOGNISING);
            lock.execute();
          }
        });
    anySightings = Db.first(s, String.class, "select machineId from SightingEntity").isPresent();
  }

  /** A machine that a platform tells of, if only its guest or a list told of it before. */
  Optional<MachineEntity> withoutHome(MachineFacts facts) {
    if (!anySightings) {
      return Optional.empty();
    }
    return by(Marks.of(facts, ""))
        .filter(
            m -> {
              SiteEntity home = s.find(SiteEntity.class, m.siteId);
              return home.kind.looksOnly();
            });
  }

  /** The machine that a survey or a list tells of. */
  Optional<MachineEntity> of(MachineFacts facts, Optional<Survey> survey) {
    return by(Marks.of(facts, survey.map(Survey::hardwareId).orElse("")))
        .filter(m -> survey.isEmpty() || !contradicts(m, survey.get()));
  }

  /** Whether a source means another machine than before by the same key. */
  static boolean another(SightingEntity former, MachineFacts facts, Optional<Survey> survey) {
    if (survey.isEmpty() || former.survey == null) {
      return false;
    }
    Marks before = Marks.of(Json.read(former.facts, MachineFacts.class), "");
    return !Marks.of(facts, "").shareCard(before)
        && Marks.differ(Json.read(former.survey, Survey.class), survey.get());
  }

  private boolean contradicts(MachineEntity machine, Survey survey) {
    return Db.list(
            s,
            String.class,
            "select survey from SightingEntity where machineId = ?1 and survey is not null",
            machine.id)
        .stream()
        .anyMatch(x -> Marks.differ(Json.read(x, Survey.class), survey));
  }

  private Optional<MachineEntity> by(Marks of) {
    for (Set<String> marks : of.groups()) {
      if (marks.isEmpty()) {
        continue;
      }
      List<Object[]> found =
          s.createNativeQuery(
                  "select distinct m.id, m.vanished_at is null from machine_mark k"
                      + " join machine m on m.id = k.machine_id where k.mark = any(:marks)",
                  Object[].class)
              .setParameter("marks", marks.toArray(String[]::new))
              .getResultList();
      // One that is there goes before one that has vanished.
      boolean anyThere = found.stream().anyMatch(row -> (Boolean) row[1]);
      List<Object[]> fit = found.stream().filter(row -> (Boolean) row[1] == anyThere).toList();
      if (fit.size() == 1) {
        return Optional.of(s.find(MachineEntity.class, fit.get(0)[0]));
      }
    }
    return Optional.empty();
  }
}
