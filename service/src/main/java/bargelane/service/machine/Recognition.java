package bargelane.service.machine;

import bargelane.core.guest.Survey;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Nic;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.site.SiteEntity;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import org.hibernate.Session;

/**
 * Tells that a machine that one source tells of is one that another told of already: by the UUID of
 * its firmware, else by the addresses of its cards, where those belong to one machine and to no
 * other. Copies keep such marks: where both have an identity of their guest and these differ, they
 * are two machines.
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
    return by(marks(facts, ""))
        .filter(
            m -> {
              SiteEntity home = s.find(SiteEntity.class, m.siteId);
              return home.kind.looksOnly();
            });
  }

  /** The machine that a survey or a list tells of. */
  Optional<MachineEntity> of(MachineFacts facts, Optional<Survey> survey) {
    return by(marks(facts, survey.map(Survey::hardwareId).orElse("")))
        .filter(m -> survey.isEmpty() || !contradicts(m, survey.get()));
  }

  /** Whether a source means another machine than before by the same key. */
  static boolean another(SightingEntity former, MachineFacts facts, Optional<Survey> survey) {
    if (survey.isEmpty() || former.survey == null) {
      return false;
    }
    Set<String> cards = marks(facts, "").get(1);
    cards.retainAll(marks(Json.read(former.facts, MachineFacts.class), "").get(1));
    return cards.isEmpty() && differ(Json.read(former.survey, Survey.class), survey.get());
  }

  /**
   * Whether two guests can't be one: neither their own identity nor their hardware's is the same.
   */
  private static boolean differ(Survey a, Survey b) {
    return !a.guestId().isEmpty()
        && !b.guestId().isEmpty()
        && !a.guestId().equals(b.guestId())
        && (a.hardwareId().isEmpty() || !a.hardwareId().equals(b.hardwareId()));
  }

  private boolean contradicts(MachineEntity machine, Survey survey) {
    return Db.list(
            s,
            String.class,
            "select survey from SightingEntity where machineId = ?1 and survey is not null",
            machine.id)
        .stream()
        .anyMatch(x -> differ(Json.read(x, Survey.class), survey));
  }

  /** Groups of marks, the surest first. */
  private static List<Set<String>> marks(MachineFacts facts, String hardwareId) {
    List<Set<String>> groups = new ArrayList<>();
    Set<String> hardware = new TreeSet<>();
    for (String id : List.of(facts.platformId(), hardwareId)) {
      String uuid = id.toLowerCase(Locale.ROOT);
      if (uuid.matches("[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}")) {
        hardware.add("hw:" + uuid);
        hardware.add("hw:" + swapped(uuid));
      }
    }
    groups.add(hardware);
    Set<String> cards = new TreeSet<>();
    for (Nic nic : facts.nics()) {
      if (!nic.mac().isEmpty()) {
        cards.add("mac:" + nic.mac().toLowerCase(Locale.ROOT));
      }
    }
    groups.add(cards);
    return groups;
  }

  /**
   * The first three fields with their bytes the other way round, as firmware before SMBIOS 2.6 has
   * them (DSP0134, 7.2.1).
   */
  private static String swapped(String u) {
    return u.substring(6, 8)
        + u.substring(4, 6)
        + u.substring(2, 4)
        + u.substring(0, 2)
        + "-"
        + u.substring(11, 13)
        + u.substring(9, 11)
        + "-"
        + u.substring(16, 18)
        + u.substring(14, 16)
        + u.substring(18);
  }

  private Optional<MachineEntity> by(List<Set<String>> groups) {
    for (Set<String> marks : groups) {
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
