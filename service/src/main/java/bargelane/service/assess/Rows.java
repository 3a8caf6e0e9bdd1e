package bargelane.service.assess;

import bargelane.api.AssessedMachineView;
import bargelane.api.AssessedRow;
import bargelane.api.AssessmentView;
import bargelane.api.MachineAssessment;
import bargelane.api.Page;
import bargelane.core.assess.Assessed;
import bargelane.core.assess.Assumptions;
import bargelane.core.assess.Offer;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.usage.UsageSeries;
import bargelane.service.machine.Machines;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import java.io.IOException;
import java.io.OutputStreamWriter;
import java.io.Writer;
import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import org.hibernate.Session;
import org.postgresql.PGConnection;
import org.postgresql.copy.PGCopyOutputStream;

/** The machines of a revision: a line each for lists, a body each to open. */
public final class Rows {

  private static final int COPY_BUFFER = 1 << 16;
  private static final Map<String, String> SORTS =
      Map.of(
          "machine", "a.name",
          "verdict", "a.verdict",
          "configured", "a.configured_monthly",
          "observed", "a.observed_monthly",
          "saving", "a.configured_monthly - a.observed_monthly",
          "above", "a.above_seconds");

  private final Db db;

  public Rows(Db db) {
    this.db = db;
  }

  /** What is stored of a machine; made where it was assessed, so that no more of it is held. */
  record Line(AssessedRow row, String line, String body) {

    static Line of(Assessed a, Map<String, BigDecimal> today) {
      AssessedRow row = Assessments.row(a, today);
      return new Line(row, Json.text(row), Json.text(Stored.of(a)));
    }
  }

  /**
   * Stores machines, in the caller's transaction: by COPY in text format (PostgreSQL's
   * documentation of COPY, "Text Format").
   */
  static void store(Session s, String assessment, int revision, List<Line> lines) {
    s.doWork(
        db -> {
          try (Writer out =
              new OutputStreamWriter(
                  new PGCopyOutputStream(
                      db.unwrap(PGConnection.class),
                      "copy assessed_machine (assessment_id, revision, machine_id, name, verdict, codes,"
                          + " configured_size, configured_monthly, observed_size, observed_monthly, above_seconds,"
                          + " line, body) from stdin",
                      COPY_BUFFER),
                  StandardCharsets.UTF_8)) {
            for (Line l : lines) {
              AssessedRow r = l.row;
              out.write(
                  String.join(
                      "\t",
                      assessment,
                      String.valueOf(revision),
                      text(r.machineId()),
                      text(r.machine()),
                      text(r.verdict()),
                      "{" + String.join(",", r.reasons()) + "}",
                      text(r.configuredSize()),
                      number(r.configuredMonthly()),
                      text(r.observedSize()),
                      number(r.observedMonthly()),
                      String.valueOf(r.above()),
                      text(l.line),
                      text(l.body)));
              out.write('\n');
            }
          } catch (IOException e) {
            throw e.getCause() instanceof SQLException cause
                ? cause
                : new SQLException("storing an assessment failed", e);
          }
        });
  }

  private static String text(String value) {
    return value
        .replace("\\", "\\\\")
        .replace("\t", "\\t")
        .replace("\n", "\\n")
        .replace("\r", "\\r");
  }

  private static String number(BigDecimal value) {
    return value == null ? "\\N" : value.toPlainString();
  }

  /**
   * Which lines of a revision.
   *
   * @param verdict empty for all
   * @param reason a code of a finding; empty for all
   * @param name part of the machine's name; empty for all
   */
  public record Choice(
      String verdict, String reason, String name, String sort, int page, int size) {}

  /** One page of a revision's machines. */
  public Page<AssessedRow> list(String ref, int number, Choice choice) {
    String field = choice.sort.startsWith("-") ? choice.sort.substring(1) : choice.sort;
    if (!SORTS.containsKey(field)) {
      throw ProblemException.invalid(
          "sort-unknown",
          "machines can't be sorted by '" + field + "'",
          "sort by one of " + SORTS.keySet().stream().sorted().toList());
    }
    Machines.checkPage(choice.page, choice.size);
    return db.tx(
        s -> {
          AssessmentEntity entity = AssessmentViews.find(s, ref);
          int revision = AssessmentViews.revision(s, entity, number).number;
          return s.doReturningWork(
              c -> page(c, entity, revision, choice, order(field, choice.sort.startsWith("-"))));
        });
  }

  private static String order(String field, boolean descending) {
    return SORTS.get(field) + (descending ? " desc nulls last" : " nulls last") + ", a.machine_id";
  }

  private static Page<AssessedRow> page(
      Connection db, AssessmentEntity entity, int revision, Choice choice, String order)
      throws SQLException {
    String where =
        " from assessed_machine a where a.assessment_id = ? and a.revision = ? and (? = '' or a.verdict = ?)"
            + " and (? = '' or ? = any(a.codes)) and (? = '' or position(lower(?) in lower(a.name)) > 0)";
    long total;
    try (PreparedStatement count = db.prepareStatement("select count(*)" + where)) {
      set(count, entity, revision, choice);
      try (ResultSet r = count.executeQuery()) {
        r.next();
        total = r.getLong(1);
      }
    }
    List<AssessedRow> rows = new ArrayList<>();
    try (PreparedStatement select =
        db.prepareStatement(
            "select a.line, c.size, c.size <> case c.basis when 'observed' then a.observed_size"
                + " else a.configured_size end from (select a.* "
                + where
                + " order by "
                + order
                + " limit ? offset ?) a left join size_choice c on c.machine_id = a.machine_id"
                + " and c.target_site_id = ? order by "
                + order)) {
      set(select, entity, revision, choice);
      select.setInt(9, choice.size);
      select.setInt(10, choice.page * choice.size);
      select.setString(11, entity.targetSiteId);
      try (ResultSet r = select.executeQuery()) {
        while (r.next()) {
          rows.add(
              accepted(
                  Json.read(r.getString(1), AssessedRow.class),
                  r.getString(2) == null ? "" : r.getString(2),
                  r.getBoolean(3)));
        }
      }
    }
    return new Page<>(rows, total, choice.page, choice.size);
  }

  private static void set(PreparedStatement s, AssessmentEntity entity, int revision, Choice choice)
      throws SQLException {
    s.setString(1, entity.id);
    s.setInt(2, revision);
    s.setString(3, choice.verdict);
    s.setString(4, choice.verdict);
    s.setString(5, choice.reason);
    s.setString(6, choice.reason);
    s.setString(7, choice.name);
    s.setString(8, choice.name);
  }

  private static AssessedRow accepted(AssessedRow r, String size, boolean stale) {
    return new AssessedRow(
        r.machineId(),
        r.machine(),
        r.cpus(),
        r.memoryMib(),
        r.verdict(),
        r.way(),
        r.configuredSize(),
        r.configuredMonthly(),
        r.observedSize(),
        r.observedMonthly(),
        r.today(),
        r.above(),
        r.reasons(),
        r.warned(),
        size,
        stale);
  }

  /** What the newest revisions that hold a machine say of it, the newest first. */
  public List<MachineAssessment> ofMachine(String ref) {
    return db.tx(
        s -> {
          String id = Machines.find(s, ref).id;
          List<Object[]> newest =
              s.createNativeQuery(
                      "select a.assessment_id, a.revision, a.line from assessed_machine a where a.machine_id = ?1"
                          + " and a.revision = (select max(number) from assessment_revision r"
                          + " where r.assessment_id = a.assessment_id)",
                      Object[].class)
                  .setParameter(1, id)
                  .getResultList();
          return newest.stream()
              .map(
                  row -> {
                    AssessmentEntity of = s.find(AssessmentEntity.class, row[0]);
                    AssessmentView v = AssessmentViews.view(s, of, (int) row[1]);
                    AssessedRow line = Json.read((String) row[2], AssessedRow.class);
                    String accepted =
                        of.targetSiteId == null
                            ? ""
                            : SizeChoices.accepted(s, id, of.targetSiteId)
                                .map(SizeChoices.Accepted::size)
                                .orElse("");
                    return new MachineAssessment(
                        v.name(),
                        v.revision(),
                        v.target(),
                        v.book(),
                        v.at(),
                        v.assumptions().basis(),
                        v.currency(),
                        accepted(line, accepted, false));
                  })
              .sorted(Comparator.comparing(MachineAssessment::at).reversed())
              .toList();
        });
  }

  /** One machine of a revision, with how its figures came about. */
  public AssessedMachineView machine(String ref, int number, String machine) {
    return db.tx(
        s -> {
          AssessmentEntity entity = AssessmentViews.find(s, ref);
          RevisionEntity revision = AssessmentViews.revision(s, entity, number);
          return s.doReturningWork(
              c -> {
                try (PreparedStatement select =
                    c.prepareStatement(
                        "select a.line, a.body, coalesce(c.size, ''), coalesce(c.size <> case c.basis when 'observed'"
                            + " then a.observed_size else a.configured_size end, false) from assessed_machine a"
                            + " left join size_choice c on c.machine_id = a.machine_id and c.target_site_id = ?"
                            + " where a.assessment_id = ? and a.revision = ? and (a.machine_id = ? or a.name = ?)"
                            + " order by a.machine_id = ? desc")) {
                  select.setString(1, entity.targetSiteId);
                  select.setString(2, entity.id);
                  select.setInt(3, revision.number);
                  select.setString(4, machine);
                  select.setString(5, machine);
                  select.setString(6, machine);
                  try (ResultSet r = select.executeQuery()) {
                    if (!r.next()) {
                      throw new ProblemException(
                          404,
                          "machine-not-assessed",
                          "revision "
                              + revision.number
                              + " of "
                              + entity.name
                              + " holds no machine '"
                              + machine
                              + "'",
                          Remedy.of("list them", Action.ASSESSMENT_MACHINES, entity.name));
                    }
                    return view(
                        entity,
                        revision,
                        accepted(
                            Json.read(r.getString(1), AssessedRow.class),
                            r.getString(3),
                            r.getBoolean(4)),
                        Json.read(r.getString(2), Stored.class));
                  }
                }
              });
        });
  }

  private static AssessedMachineView view(
      AssessmentEntity entity, RevisionEntity revision, AssessedRow row, Stored of) {
    Assumptions assumptions =
        Assumed.core(Json.read(revision.assumptions, bargelane.api.AssumptionsView.class));
    Offer offer = Json.read(revision.offer, Offer.class);
    Derivations derivations = new Derivations(assumptions, offer);
    return new AssessedMachineView(
        entity.id,
        revision.number,
        row,
        offer.currency(),
        derivations.sized(of.configured(), of),
        derivations.sized(of.observed(), of),
        of.judgements().stream().map(Derivations::judgement).toList(),
        of.way(),
        of.wayWhy(),
        of.warnings(),
        UsageSeries.start(assumptions.from()),
        UsageSeries.start(assumptions.until()));
  }
}
