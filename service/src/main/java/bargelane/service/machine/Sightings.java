package bargelane.service.machine;

import bargelane.core.guest.Survey;
import bargelane.core.guest.SurveyFacts;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.site.SiteEntity;
import java.time.Instant;
import java.util.Optional;
import java.util.function.Supplier;
import org.hibernate.Session;

/**
 * What sources that are no platform tell of machines: guests that are read from inside, and lists.
 * Each is kept beside what others tell; a machine is one machine whoever tells of it.
 */
public final class Sightings {

  private Sightings() {}

  /**
   * Takes over a survey. In one transaction with whatever else its reading changes; the caller
   * closes the book.
   *
   * @param key what the source knows the machine by
   * @param name what to call a machine that has no name of its own
   */
  public static MachineEntity survey(
      Session s,
      MachineBook book,
      SiteEntity site,
      String key,
      String name,
      Survey survey,
      Instant now) {
    // Another guest at the same place is another machine.
    String platformId =
        survey.guestId().isEmpty() ? key : key + "/" + survey.guestId().substring(0, 8);
    MachineFacts facts =
        SurveyFacts.machine(survey, platformId, name, SurveyFacts.guest(survey, now, site.name));
    MachineEntity machine =
        record(s, () -> new Recognition(s), book, site, key, facts, Optional.of(survey), now);
    return machine;
  }

  /**
   * Takes over what a source tells of one machine.
   *
   * @param recognition asked for only if the source never told of it by this key
   */
  public static MachineEntity record(
      Session s,
      Supplier<Recognition> recognition,
      MachineBook book,
      SiteEntity site,
      String key,
      MachineFacts facts,
      Optional<Survey> survey,
      Instant now) {
    SightingEntity sighting = s.find(SightingEntity.class, new SightingEntity.Key(site.id, key));
    if (sighting != null && Recognition.another(sighting, facts, survey)) {
      forget(s, book, site, key);
      s.flush();
      sighting = null;
    }
    MachineEntity machine;
    if (sighting == null) {
      Optional<MachineEntity> known =
          recognition.get().of(facts, survey).or(() -> byKey(s, site, facts.platformId()));
      machine = known.orElseGet(() -> book.first(facts));
      sighting = new SightingEntity();
      sighting.siteId = site.id;
      sighting.sourceKey = key;
      sighting.machineId = machine.id;
      tell(sighting, facts, survey, now);
      s.flush();
      s.persist(sighting);
      if (known.isEmpty()) {
        return machine;
      }
    } else {
      machine = s.find(MachineEntity.class, sighting.machineId);
      tell(sighting, facts, survey, now);
    }
    SiteEntity home = s.find(SiteEntity.class, machine.siteId);
    if (home.id.equals(site.id)) {
      machine.platformId = facts.platformId();
      book.again(machine, facts);
    } else {
      // What its home tells of a machine stands; what is inside it who is inside knows better.
      MachineFacts told = Json.read(machine.facts, MachineFacts.class);
      book.again(machine, facts.guest().readAt() == null ? told : told.telling(facts.guest()));
    }
    return machine;
  }

  /** The machine that its source told of by the same key before, and then no more. */
  private static Optional<MachineEntity> byKey(Session s, SiteEntity site, String platformId) {
    return Db.first(
        s,
        MachineEntity.class,
        "from MachineEntity where siteId = ?1 and platformId = ?2",
        site.id,
        platformId);
  }

  private static void tell(
      SightingEntity sighting, MachineFacts facts, Optional<Survey> survey, Instant now) {
    sighting.seenAt = now;
    sighting.facts = Json.text(facts);
    sighting.survey = survey.map(Json::text).orElse(null);
  }

  /** A source tells of a machine no more: if nobody else does, it is gone. */
  public static void forget(Session s, MachineBook book, SiteEntity site, String key) {
    SightingEntity sighting = s.find(SightingEntity.class, new SightingEntity.Key(site.id, key));
    if (sighting == null) {
      return;
    }
    MachineEntity machine = s.find(MachineEntity.class, sighting.machineId);
    Instant last = sighting.seenAt;
    s.remove(sighting);
    s.flush();
    if (machine.siteId.equals(site.id)) {
      Db.first(
              s,
              SightingEntity.class,
              "from SightingEntity where machineId = ?1 order by seenAt desc",
              machine.id)
          .ifPresentOrElse(
              other -> {
                machine.siteId = other.siteId;
                machine.platformId = Json.read(other.facts, MachineFacts.class).platformId();
              },
              () -> book.gone(machine, last));
    }
  }
}
