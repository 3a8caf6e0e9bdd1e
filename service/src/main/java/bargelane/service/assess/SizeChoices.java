package bargelane.service.assess;

import bargelane.api.AcceptResult;
import bargelane.api.AssessmentAccept;
import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.site.SiteEntity;
import bargelane.text.Counts;
import java.time.Clock;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import org.hibernate.Session;

/**
 * Sizes that were accepted from a revision of an assessment: they are those of the machines in
 * waves to that target, now and later. A newer revision that gives another size is told as a
 * finding.
 */
public final class SizeChoices {

  private final Db db;
  private final SizeTaker taker;
  private final Events events;
  private final Clock clock;

  public SizeChoices(Db db, SizeTaker taker, Events events, Clock clock) {
    this.db = db;
    this.taker = taker;
    this.events = events;
    this.clock = clock;
  }

  /** A line of a revision: whose size. */
  private record Line(String machine, String name, String size) {}

  public AcceptResult accept(String ref, AssessmentAccept asked, String by) {
    return accept(ref, "", asked, by);
  }

  /**
   * Accepts sizes.
   *
   * @param target the site that the assessment must be for; any if it is empty
   */
  public AcceptResult accept(String ref, String target, AssessmentAccept asked, String by) {
    return db.tx(
        s -> {
          AssessmentEntity entity = AssessmentViews.find(s, ref);
          RevisionEntity revision = AssessmentViews.revision(s, entity, asked.revision());
          if (entity.targetSiteId == null) {
            throw ProblemException.invalid(
                "target-missing",
                entity.name + " goes by a price book alone: there is no site to move to",
                "assess the machines for a site: --target");
          }
          String site = s.find(SiteEntity.class, entity.targetSiteId).name;
          if (!target.isEmpty() && !site.equals(target)) {
            throw ProblemException.invalid(
                "assessment-elsewhere",
                entity.name + " is for " + site + ", not for " + target,
                Remedy.of("assess the machines for it", Action.ASSESSMENT_ADD, target));
          }
          String basis =
              asked.basis() == null || asked.basis().isEmpty()
                  ? Json.object(revision.assumptions).path("basis").asText()
                  : Assumed.basis(asked.basis()).text();
          List<String> named = asked.machines() == null ? List.of() : asked.machines();
          Set<String> chosen = AssessmentViews.named(s, named);
          List<String> unsized = new ArrayList<>();
          Map<String, String> sizes = new HashMap<>();
          Map<String, SizeChoiceEntity> known = known(s, entity.targetSiteId);
          for (Line line : lines(s, entity, revision, basis)) {
            if (!named.isEmpty() && !chosen.remove(line.machine)) {
              continue;
            }
            if (line.size.isEmpty()) {
              unsized.add(line.name);
              continue;
            }
            keep(s, known.get(line.machine), entity, revision, basis, line, by);
            sizes.put(line.machine, line.size);
          }
          if (!named.isEmpty() && sizes.isEmpty() && !unsized.isEmpty()) {
            throw ProblemException.invalid(
                "size-not-found",
                "revision "
                    + revision.number
                    + " of "
                    + entity.name
                    + " holds no size for "
                    + String.join(", ", unsized),
                Remedy.of("see why", Action.ASSESSMENT_MACHINE, entity.name, unsized.get(0)));
          }
          if (!named.isEmpty() && !chosen.isEmpty()) {
            throw ProblemException.invalid(
                "machine-not-assessed",
                "revision "
                    + revision.number
                    + " of "
                    + entity.name
                    + " does not hold all of "
                    + named,
                Remedy.of("list them", Action.ASSESSMENT_MACHINES, entity.name));
          }
          Set<String> waves =
              taker.take(s, entity.targetSiteId, sizes, basis(entity.name, revision.number, basis));
          events.tell(
              s,
              "assessment",
              entity.id,
              "",
              by
                  + " accepted the sizes of "
                  + Counts.of(sizes.size(), "machine")
                  + " from "
                  + entity.name
                  + ", revision "
                  + revision.number,
              null);
          return new AcceptResult(sizes.size(), unsized, List.copyOf(waves));
        });
  }

  /** Of machines that are still there. */
  private static List<Line> lines(
      Session s, AssessmentEntity entity, RevisionEntity revision, String basis) {
    return s
        .createNativeQuery(
            "select a.machine_id, a.name, a."
                + (basis.equals("observed") ? "observed_size" : "configured_size")
                + " from assessed_machine a join machine m on m.id = a.machine_id"
                + " where a.assessment_id = ?1 and a.revision = ?2 order by a.name",
            Object[].class)
        .setParameter(1, entity.id)
        .setParameter(2, revision.number)
        .getResultList()
        .stream()
        .map(r -> new Line((String) r[0], (String) r[1], (String) r[2]))
        .toList();
  }

  private static Map<String, SizeChoiceEntity> known(Session s, String target) {
    return Db.list(
            s, SizeChoiceEntity.class, "from SizeChoiceEntity where targetSiteId = ?1", target)
        .stream()
        .collect(Collectors.toMap(c -> c.machineId, c -> c));
  }

  private void keep(
      Session s,
      SizeChoiceEntity known,
      AssessmentEntity entity,
      RevisionEntity revision,
      String basis,
      Line line,
      String by) {
    SizeChoiceEntity c = known == null ? new SizeChoiceEntity() : known;
    c.machineId = line.machine;
    c.targetSiteId = entity.targetSiteId;
    c.assessmentId = entity.id;
    c.revision = revision.number;
    c.basis = basis;
    c.size = line.size;
    c.madeBy = by;
    c.madeAt = clock.instant();
    if (known == null) {
      s.persist(c);
    }
  }

  static String basis(String assessment, int revision, String basis) {
    return assessment + ", revision " + revision + ", " + basis;
  }

  /** What was accepted for a machine at a target, and of which revision, in words. */
  public record Accepted(String size, String basis) {}

  public static Optional<Accepted> accepted(Session s, String machine, String site) {
    return Optional.ofNullable(
            s.find(SizeChoiceEntity.class, new SizeChoiceEntity.Key(machine, site)))
        .map(
            c ->
                new Accepted(
                    c.size,
                    basis(
                        s.find(AssessmentEntity.class, c.assessmentId).name, c.revision, c.basis)));
  }

  /**
   * A finding if a newer revision of the assessment whose size a machine has gives another.
   *
   * @param size that the machine has
   */
  public static Optional<Finding> stale(Session s, String machine, String site, String size) {
    SizeChoiceEntity c = s.find(SizeChoiceEntity.class, new SizeChoiceEntity.Key(machine, site));
    if (c == null || !c.size.equals(size)) {
      return Optional.empty();
    }
    List<Object[]> newer =
        s.createNativeQuery(
                "select a.revision, a.name, case ?3 when 'observed' then a.observed_size else a.configured_size end"
                    + " from assessed_machine a where a.assessment_id = ?1 and a.machine_id = ?2 and a.revision > ?4"
                    + " order by a.revision desc limit 1",
                Object[].class)
            .setParameter(1, c.assessmentId)
            .setParameter(2, machine)
            .setParameter(3, c.basis)
            .setParameter(4, c.revision)
            .getResultList();
    if (newer.isEmpty() || newer.get(0)[2].equals(c.size)) {
      return Optional.empty();
    }
    AssessmentEntity entity = s.find(AssessmentEntity.class, c.assessmentId);
    Object[] row = newer.get(0);
    String given = row[2].equals("") ? "no size" : (String) row[2];
    return Optional.of(
        new Finding(
            Code.SIZE_STALE,
            (String) row[1],
            "its size "
                + c.size
                + " is from revision "
                + c.revision
                + " of "
                + entity.name
                + "; revision "
                + row[0]
                + " gives "
                + given,
            Remedy.of(
                "see what differs, then accept one",
                Action.ASSESSMENT_COMPARE,
                entity.name,
                String.valueOf(c.revision)),
            Who.ENGINEER));
  }
}
