package bargelane.service.assess;

import bargelane.api.AssessmentView;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.service.machine.MachineEntity;
import bargelane.service.machine.Machines;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import org.hibernate.Session;

/** Assessments and their revisions as they are looked up and shown. */
final class AssessmentViews {

  private AssessmentViews() {}

  static AssessmentEntity find(Session s, String ref) {
    return Db.first(
            s, AssessmentEntity.class, "from AssessmentEntity where id = ?1 or name = ?1", ref)
        .orElseThrow(() -> ProblemException.missing("assessment", ref));
  }

  /** A revision by its number; the newest for 0. */
  static RevisionEntity revision(Session s, AssessmentEntity entity, int number) {
    return Db.first(
            s,
            RevisionEntity.class,
            "from RevisionEntity where assessmentId = ?1 and (number = ?2 or ?2 = 0) order by number desc",
            entity.id,
            number)
        .orElseThrow(
            () ->
                new ProblemException(
                    404,
                    "revision-unknown",
                    "assessment " + entity.name + " has no revision " + number,
                    Remedy.of("list them", Action.ASSESSMENT_SHOW, entity.name)));
  }

  static AssessmentView view(Session s, AssessmentEntity entity, int number) {
    AssessmentView v = Json.read(revision(s, entity, number).summary, AssessmentView.class);
    int newest = number == 0 ? v.revision() : revision(s, entity, 0).number;
    return new AssessmentView(
        v.id(),
        v.name(),
        v.target(),
        v.book(),
        v.filter(),
        v.machines(),
        v.revision(),
        newest,
        v.at(),
        v.by(),
        v.why(),
        v.assumptions(),
        v.currency(),
        v.prices(),
        v.rules(),
        v.count(),
        v.configured(),
        v.observed(),
        v.both(),
        v.verdicts(),
        v.reasons(),
        v.costs(),
        v.today(),
        v.todayKnown(),
        v.waiting(),
        v.notes());
  }

  /** Ids of those among named machines, in the order of their names. */
  static Set<String> named(Session s, List<String> refs) {
    Set<String> ids = new LinkedHashSet<>();
    for (String ref : refs) {
      MachineEntity m = Machines.find(s, ref);
      ids.add(m.id);
    }
    return ids;
  }
}
