package bargelane.service.assess;

import bargelane.api.AssessedRow;
import bargelane.api.AssessmentAdd;
import bargelane.api.AssessmentView;
import bargelane.api.AssumptionsView;
import bargelane.api.RevisionAdd;
import bargelane.core.assess.Assessed;
import bargelane.core.assess.Assumptions;
import bargelane.core.assess.Basis;
import bargelane.core.assess.Offer;
import bargelane.core.assess.Offer.SizeOffer;
import bargelane.core.assess.Sized;
import bargelane.core.assess.Use;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.service.event.Events;
import bargelane.service.machine.Machines;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.SiteTenant;
import bargelane.service.site.Sites;
import bargelane.text.Counts;
import com.fasterxml.jackson.core.type.TypeReference;
import java.math.BigDecimal;
import java.time.Clock;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Pattern;
import org.hibernate.LockMode;
import org.hibernate.Session;
import org.hibernate.exception.ConstraintViolationException;

/**
 * Assessments: for a choice of machines what each needs at a target, on both bases, whether it will
 * run there and what it will cost. Each change of assumptions makes a new revision; a revision
 * never changes.
 */
public final class Assessments implements SiteTenant {

  private static final int MOST = 20_000;
  private static final Pattern NAME = Pattern.compile("[a-zA-Z0-9][a-zA-Z0-9 ._-]{0,62}");

  private final Db db;
  private final Events events;
  private final Clock clock;

  public Assessments(Db db, Events events, Clock clock) {
    this.db = db;
    this.events = events;
    this.clock = clock;
  }

  /** What a revision is computed from, all of it settled. */
  record Basics(
      AssessmentEntity entity,
      AssumptionsView told,
      Assumptions assumptions,
      String book,
      Offer offer,
      FitnessYaml.Read rules,
      Map<String, BigDecimal> hours,
      List<String> ids) {}

  public AssessmentView add(AssessmentAdd asked, String by) {
    List<String> named = asked.machines() == null ? List.of() : asked.machines();
    String filter = asked.filter() == null ? "" : asked.filter().strip();
    if (named.isEmpty() == filter.isEmpty()) {
      throw ProblemException.invalid(
          "machines-missing",
          named.isEmpty()
              ? "an assessment needs machines"
              : "machines are named and filtered at once",
          "name machines, or give a filter: --filter \"label.app = lending\"");
    }
    String name = asked.name() == null ? "" : asked.name().strip();
    if (!name.isEmpty() && !NAME.matcher(name).matches()) {
      throw ProblemException.invalid(
          "name-malformed",
          "'" + name + "' can't be the name of an assessment",
          "use up to 63 letters, digits, blanks and . _ - and begin with a letter or digit");
    }
    AssessmentEntity entity = new AssessmentEntity();
    entity.id = Ids.next("as");
    entity.name = name.isEmpty() ? entity.id : name;
    entity.filter = filter;
    entity.machines = Json.text(named);
    entity.madeBy = by;
    entity.madeAt = clock.instant();
    String book = asked.book() == null ? "" : asked.book();
    AssumptionsView assumptions =
        asked.assumptions() == null ? AssumptionsView.UNSAID : asked.assumptions();
    Basics basics =
        db.tx(
            s -> {
              if (!Db.list(s, Object.class, "from AssessmentEntity where name = ?1", entity.name)
                  .isEmpty()) {
                throw exists(entity.name);
              }
              if (asked.target() != null && !asked.target().isEmpty()) {
                entity.targetSiteId = Sites.find(s, asked.target()).id;
              }
              return basics(s, entity, book, assumptions, AssumptionsView.UNSAID);
            });
    try {
      return db.tx(
          s -> {
            s.persist(entity);
            return store(s, basics, 1, by, "");
          });
    } catch (ConstraintViolationException e) {
      // Another of that name was made since we looked.
      if ("assessment_name_key".equals(e.getConstraintName())) {
        throw exists(entity.name);
      }
      throw e;
    }
  }

  private static ProblemException exists(String name) {
    return ProblemException.conflict(
        "assessment-exists",
        "there is an assessment '" + name + "' already",
        Remedy.of("give another name, or make a revision of it", Action.ASSESSMENT_EDIT, name));
  }

  /** A new revision with other assumptions, other prices, or only what is known now. */
  public AssessmentView revise(String ref, RevisionAdd asked, String by) {
    Basics basics =
        db.tx(
            s -> {
              AssessmentEntity entity = AssessmentViews.find(s, ref);
              RevisionEntity former = AssessmentViews.revision(s, entity, 0);
              AssessmentView was = Json.read(former.summary, AssessmentView.class);
              return basics(
                  s,
                  entity,
                  asked.book() == null ? was.book() : asked.book(),
                  asked.assumptions() == null ? AssumptionsView.UNSAID : asked.assumptions(),
                  was.assumptions());
            });
    return db.tx(
        s -> {
          // Two that revise at once wait here, and each gets its own number.
          AssessmentEntity entity =
              Optional.ofNullable(
                      s.find(AssessmentEntity.class, basics.entity.id, LockMode.PESSIMISTIC_WRITE))
                  .orElseThrow(() -> ProblemException.missing("assessment", ref));
          int number = AssessmentViews.revision(s, entity, 0).number + 1;
          return store(
              s,
              basics,
              number,
              by,
              asked.why() == null || asked.why().isBlank() ? "" : asked.why().strip());
        });
  }

  Assessor assessor(Basics b) {
    return new Assessor(db, b.assumptions, b.hours, b.rules, b.offer, today());
  }

  private LocalDate today() {
    return LocalDate.ofInstant(clock.instant(), ZoneOffset.UTC);
  }

  private Basics basics(
      Session s,
      AssessmentEntity entity,
      String book,
      AssumptionsView asked,
      AssumptionsView before) {
    AssumptionsView told = Assumed.over(asked, before, today());
    Assumptions assumptions = Assumed.core(told);
    if (assumptions.until().isAfter(today())) {
      throw Assumed.wrong(
          "the window ends on " + assumptions.until() + ", which is to come",
          "let it end today at the latest: only whole days of UTC count");
    }
    Offer offer = Offers.of(s, entity, book, today());
    Assumed.offered(assumptions, offer);
    List<String> ids = ids(s, entity);
    return new Basics(
        entity, told, assumptions, book, offer, FitnessRules.all(s), hours(s, told), ids);
  }

  /** What a revision was computed from, to compute more from it. */
  Basics again(Session s, AssessmentEntity entity, int number) {
    RevisionEntity r = AssessmentViews.revision(s, entity, number);
    AssessmentView was = Json.read(r.summary, AssessmentView.class);
    return new Basics(
        entity,
        was.assumptions(),
        Assumed.core(was.assumptions()),
        was.book(),
        Json.read(r.offer, Offer.class),
        FitnessRules.all(s),
        hours(s, was.assumptions()),
        s.createNativeQuery(
                // In the order in which machines lie, as what they used does.
                "select a.machine_id from assessed_machine a join machine m on m.id = a.machine_id"
                    + " where a.assessment_id = ?1 and a.revision = ?2 order by m.ctid",
                String.class)
            .setParameter(1, entity.id)
            .setParameter(2, r.number)
            .getResultList());
  }

  private List<String> ids(Session s, AssessmentEntity entity) {
    List<String> ids =
        entity.filter.isEmpty()
            ? new ArrayList<>(
                new LinkedHashSet<>(
                    Json.read(entity.machines, new TypeReference<List<String>>() {}).stream()
                        .map(ref -> Machines.find(s, ref).id)
                        .toList()))
            : new ArrayList<>(Machines.ids(s, entity.filter));
    ids.retainAll(Set.copyOf(Machines.ids(s, "not vanished")));
    if (ids.isEmpty()) {
      throw ProblemException.invalid(
          "selection-empty",
          entity.filter.isEmpty()
              ? "the named machines have vanished"
              : "no machine that is there is chosen by '" + entity.filter + "'",
          Remedy.of("look", Action.MACHINE_FILTER, entity.filter));
    }
    if (ids.size() > MOST) {
      throw ProblemException.invalid(
          "selection-large",
          ids.size() + " machines are chosen, more than " + MOST,
          "make several assessments");
    }
    return ids;
  }

  /** Of several rules that choose a machine the first counts. */
  private static Map<String, BigDecimal> hours(Session s, AssumptionsView told) {
    Map<String, BigDecimal> hours = new HashMap<>();
    for (AssumptionsView.RunningHours u : told.runningHours()) {
      if (u == null || u.filter() == null || u.filter().isBlank() || u.hoursAWeek() == null) {
        throw Assumed.wrong("an uptime has no filter or no hours", "give both");
      }
      if (u.hoursAWeek().signum() <= 0 || u.hoursAWeek().compareTo(Assumptions.ALL_HOURS) > 0) {
        throw Assumed.wrong(
            "the uptime " + u.hoursAWeek() + " of '" + u.filter() + "' is not above 0, up to 168",
            "give hours a week");
      }
      for (String id : Machines.ids(s, u.filter())) {
        hours.putIfAbsent(id, u.hoursAWeek());
      }
    }
    return hours;
  }

  /** Assesses, and stores what is found while it is found; all of it in one transaction. */
  private AssessmentView store(Session s, Basics b, int number, String by, String why) {
    RevisionEntity revision = new RevisionEntity();
    revision.assessmentId = b.entity.id;
    revision.number = number;
    revision.madeBy = by;
    revision.madeAt = clock.instant();
    revision.why = why;
    revision.assumptions = Json.text(b.told);
    revision.offer = Json.text(b.offer);
    revision.summary = "{}";
    s.persist(revision);
    s.flush();
    Summary sums = new Summary(b.offer.today());
    assessor(b)
        .assess(
            b.ids,
            a -> {
              sums.add(a);
              return Rows.Line.of(a, b.offer.today());
            },
            lines -> Rows.store(s, b.entity.id, number, lines));
    if (sums.count() == 0) {
      throw ProblemException.invalid(
          "selection-empty", "the chosen machines went away while they were read", "try it again");
    }
    AssessmentView view = summary(s, b, sums, revision);
    revision.summary = Json.text(view);
    events.tell(
        s,
        "assessment",
        b.entity.id,
        "",
        by
            + " assessed "
            + Counts.of(sums.count(), "machine")
            + ": "
            + b.entity.name
            + ", revision "
            + number,
        null);
    return view;
  }

  private static AssessmentView summary(Session s, Basics b, Summary sums, RevisionEntity r) {
    List<String> notes = new ArrayList<>(b.offer.notes());
    if (sums.unmeasured() > 0) {
      notes.add(
          Counts.of(sums.unmeasured(), "machine was", "machines were")
              + " not measured in the window: observed is as configured there");
    }
    notes.add("disks are not measured one by one: a machine's are shared out by capacity");
    return new AssessmentView(
        b.entity.id,
        b.entity.name,
        b.entity.targetSiteId == null ? "" : s.find(SiteEntity.class, b.entity.targetSiteId).name,
        b.book,
        b.entity.filter,
        Json.read(b.entity.machines, new TypeReference<List<String>>() {}),
        r.number,
        r.number,
        r.madeAt,
        r.madeBy,
        r.why,
        b.told,
        b.offer.currency(),
        b.offer.source(),
        b.rules.fitness().version(),
        sums.count(),
        sums.basis(Basis.CONFIGURED),
        sums.basis(Basis.OBSERVED),
        sums.both(),
        sums.verdicts(),
        sums.reasons(),
        sums.costs(),
        sums.today(),
        sums.todayKnown(),
        sums.waiting(),
        notes);
  }

  static AssessedRow row(Assessed a, Map<String, BigDecimal> today) {
    Sized c = a.configured();
    Sized o = a.observed();
    return new AssessedRow(
        a.subject().id(),
        a.subject().facts().name(),
        a.subject().facts().cpus(),
        a.subject().facts().memoryMib(),
        a.verdict().text(),
        a.way(),
        c.size().map(SizeOffer::id).orElse(""),
        c.monthly().orElse(null),
        o.size().map(SizeOffer::id).orElse(""),
        o.monthly().orElse(null),
        today.get(a.subject().facts().name().toLowerCase(Locale.ROOT)),
        Summary.above(o),
        Summary.codes(a),
        a.subject().use().map(Use::thin).orElse(true),
        "",
        false);
  }

  public AssessmentView view(String ref, int number) {
    return db.tx(s -> AssessmentViews.view(s, AssessmentViews.find(s, ref), number));
  }

  /** All revisions of one, the newest first. */
  public List<AssessmentView> revisions(String ref) {
    return db.tx(
        s ->
            Db.list(
                    s,
                    RevisionEntity.class,
                    "from RevisionEntity where assessmentId = ?1 order by number desc",
                    AssessmentViews.find(s, ref).id)
                .stream()
                .map(r -> Json.read(r.summary, AssessmentView.class))
                .toList());
  }

  /** The newest revision of each, the newest first. */
  public List<AssessmentView> list() {
    return db.tx(
        s ->
            Db.list(
                    s,
                    RevisionEntity.class,
                    "from RevisionEntity r where number = (select max(x.number) from RevisionEntity x"
                        + " where x.assessmentId = r.assessmentId) order by madeAt desc")
                .stream()
                .map(r -> Json.read(r.summary, AssessmentView.class))
                .toList());
  }

  /** Removes one whose sizes nobody accepted. */
  public void remove(String ref, String by) {
    db.run(
        s -> {
          AssessmentEntity entity = AssessmentViews.find(s, ref);
          List<String> accepted =
              Db.list(
                  s,
                  String.class,
                  "select m.name from SizeChoiceEntity c join MachineEntity m on m.id = c.machineId"
                      + " where c.assessmentId = ?1 order by m.name",
                  entity.id);
          if (!accepted.isEmpty()) {
            throw ProblemException.conflict(
                "assessment-in-use",
                "the sizes of "
                    + Counts.of(accepted.size(), "machine was", "machines were")
                    + " accepted from "
                    + entity.name
                    + ": "
                    + String.join(", ", accepted.subList(0, Math.min(5, accepted.size()))),
                "accept others for them first");
          }
          s.remove(entity);
          events.tell(
              s, "assessment", entity.id, "", by + " removed the assessment " + entity.name, null);
        });
  }

  @Override
  public void mayGo(Session s, SiteEntity site) {
    if (Db.first(
            s, AssessmentEntity.class, "from AssessmentEntity where targetSiteId = ?1", site.id)
        .isPresent()) {
      throw ProblemException.conflict(
          "site-in-use",
          "site " + site.name + " is what an assessment was made for",
          "keep it: assessments stay as they were made");
    }
  }
}
