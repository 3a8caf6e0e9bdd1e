package bargelane.service.assess;

import bargelane.api.AssessmentComparison;
import bargelane.api.AssessmentComparison.Difference;
import bargelane.api.AssessmentComparison.MachineDifference;
import bargelane.api.AssessmentView;
import bargelane.core.assess.Demand;
import bargelane.core.assess.Fitness.Judgement;
import bargelane.core.assess.Sized;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import com.fasterxml.jackson.databind.JsonNode;
import java.math.BigDecimal;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;

/** Two revisions side by side: of one assessment, or of two that are for different targets. */
public final class Comparisons {

  private static final int MOST = 500;

  private static final String SIDES =
      " from (select * from assessed_machine where assessment_id = ? and revision = ?) x full join"
          + " (select * from assessed_machine where assessment_id = ? and revision = ?) y using (machine_id)";

  private final Db db;

  public Comparisons(Db db) {
    this.db = db;
  }

  /** One side. */
  public record Side(String assessment, int revision) {}

  /**
   * @param basis configured or observed
   * @param most machines to tell
   */
  public AssessmentComparison compare(Side former, Side present, String basis, int most) {
    boolean observed = Assumed.basis(basis).text().equals("observed");
    if (most < 1 || most > MOST) {
      throw ProblemException.invalid(
          "page-malformed", most + " machines can't be told at once", "ask for 1 to " + MOST);
    }
    return db.tx(
        s -> {
          AssessmentView a = view(s, former);
          AssessmentView b = view(s, present);
          if (!a.currency().equals(b.currency())) {
            throw ProblemException.invalid(
                "currencies-mixed",
                "one is in " + a.currency() + ", the other in " + b.currency(),
                Remedy.of("write the prices in one currency", Action.BOOK_ADD));
          }
          List<Difference> assumptions = assumptions(a, b);
          List<MachineDifference> machines = new ArrayList<>();
          int differing = s.doReturningWork(c -> machines(c, a, b, observed, most, machines));
          Sums sums = s.doReturningWork(c -> sums(c, a, b, observed));
          return new AssessmentComparison(
              a,
              b,
              basis,
              assumptions,
              machines,
              differing,
              sums.both,
              sums.onlyFormer,
              sums.onlyPresent,
              sums.monthly);
        });
  }

  private static AssessmentView view(org.hibernate.Session s, Side side) {
    return AssessmentViews.view(s, AssessmentViews.find(s, side.assessment), side.revision);
  }

  private static List<Difference> assumptions(AssessmentView a, AssessmentView b) {
    List<Difference> all = new ArrayList<>();
    add(all, "target", a.target(), b.target());
    add(all, "prices", a.prices(), b.prices());
    add(all, "rules", a.rules(), b.rules());
    add(all, "selection", selection(a), selection(b));
    add(
        all,
        "",
        Json.MAPPER.valueToTree(a.assumptions()),
        Json.MAPPER.<JsonNode>valueToTree(b.assumptions()));
    return all;
  }

  private static String selection(AssessmentView v) {
    return v.filter().isEmpty() ? String.join(", ", v.machines()) : v.filter();
  }

  private static void add(List<Difference> all, String what, String a, String b) {
    if (!a.equals(b)) {
      all.add(new Difference(what, a, b));
    }
  }

  private static void add(List<Difference> all, String within, JsonNode a, JsonNode b) {
    Set<String> names = new TreeSet<>();
    a.fieldNames().forEachRemaining(names::add);
    b.fieldNames().forEachRemaining(names::add);
    for (String name : names) {
      JsonNode x = a.path(name);
      JsonNode y = b.path(name);
      if (x.isObject() && y.isObject()) {
        add(all, within + name + ".", x, y);
      } else if (!x.equals(y)) {
        all.add(new Difference(within + name, text(x), text(y)));
      }
    }
  }

  private static String text(JsonNode n) {
    if (n.isMissingNode() || n.isNull()) {
      return "";
    }
    return n.isValueNode() ? n.asText() : n.toString();
  }

  /** How many machines are priced on which side, and by how much those on both differ. */
  private record Sums(int both, int onlyFormer, int onlyPresent, BigDecimal monthly) {}

  private static Sums sums(Connection db, AssessmentView a, AssessmentView b, boolean observed)
      throws SQLException {
    try (PreparedStatement select =
        db.prepareStatement(
            ("select count(*) filter (where x.M is not null and y.M is not null),"
                    + " count(*) filter (where x.M is not null and y.M is null),"
                    + " count(*) filter (where x.M is null and y.M is not null),"
                    + " coalesce(sum(y.M - x.M), 0)"
                    + SIDES)
                .replace(".M", observed ? ".observed_monthly" : ".configured_monthly"))) {
      set(select, a, b);
      try (ResultSet r = select.executeQuery()) {
        r.next();
        return new Sums(r.getInt(1), r.getInt(2), r.getInt(3), r.getBigDecimal(4));
      }
    }
  }

  private static int machines(
      Connection db,
      AssessmentView a,
      AssessmentView b,
      boolean observed,
      int most,
      List<MachineDifference> machines)
      throws SQLException {
    String of = observed ? "observed" : "configured";
    String both =
        (SIDES
                + " where x.BASIS_size is distinct from y.BASIS_size or x.BASIS_monthly is distinct from y.BASIS_monthly")
            .replace("BASIS", of);
    int differing;
    try (PreparedStatement count = db.prepareStatement("select count(*)" + both)) {
      set(count, a, b);
      try (ResultSet r = count.executeQuery()) {
        r.next();
        differing = r.getInt(1);
      }
    }
    try (PreparedStatement select =
        db.prepareStatement(
            ("select machine_id, coalesce(y.name, x.name), coalesce(x.BASIS_size, ''), coalesce(y.BASIS_size, ''),"
                    + " x.BASIS_monthly, y.BASIS_monthly, x.body, y.body"
                    + both
                    + " order by abs(y.BASIS_monthly - x.BASIS_monthly) desc nulls first, 2 limit ?")
                .replace("BASIS", of))) {
      set(select, a, b);
      select.setInt(5, most);
      try (ResultSet r = select.executeQuery()) {
        while (r.next()) {
          BigDecimal was = r.getBigDecimal(5);
          BigDecimal is = r.getBigDecimal(6);
          machines.add(
              new MachineDifference(
                  r.getString(1),
                  r.getString(2),
                  r.getString(3),
                  r.getString(4),
                  was,
                  is,
                  was == null || is == null ? null : is.subtract(was),
                  why(r.getString(7), r.getString(8), observed)));
        }
      }
    }
    return differing;
  }

  private static void set(PreparedStatement s, AssessmentView a, AssessmentView b)
      throws SQLException {
    s.setString(1, a.id());
    s.setInt(2, a.revision());
    s.setString(3, b.id());
    s.setInt(4, b.revision());
  }

  private static List<String> why(String former, String present, boolean observed) {
    if (former == null || present == null) {
      return List.of(former == null ? "was not in the former" : "is not in the latter");
    }
    Stored a = Json.read(former, Stored.class);
    Stored b = Json.read(present, Stored.class);
    Sized x = observed ? a.observed() : a.configured();
    Sized y = observed ? b.observed() : b.configured();
    List<String> why = new ArrayList<>();
    for (Demand d : y.demands()) {
      x.demands().stream()
          .filter(e -> e.load() == d.load() && e.value() != d.value())
          .findFirst()
          .ifPresent(
              e ->
                  why.add(
                      d.load().name().toLowerCase(Locale.ROOT)
                          + " to carry: "
                          + Derivations.amount(e.load(), e.value())
                          + ", then "
                          + Derivations.amount(d.load(), d.value())));
    }
    if (!a.facts().disks().equals(b.facts().disks())) {
      why.add("its disks are others");
    }
    if (!a.licences().equals(b.licences())) {
      why.add("its licences: " + a.licences() + ", then " + b.licences());
    }
    String gone = codes(a, b);
    if (!gone.isEmpty()) {
      why.add("no more: " + gone);
    }
    String come = codes(b, a);
    if (!come.isEmpty()) {
      why.add("new: " + come);
    }
    if (why.isEmpty()) {
      why.add("the same demand at other prices or among other sizes");
    }
    return why;
  }

  private static String codes(Stored of, Stored without) {
    Set<String> left =
        without.judgements().stream()
            .map(Judgement::finding)
            .map(f -> f.code().text())
            .collect(Collectors.toSet());
    return of.judgements().stream()
        .map(j -> j.finding().code().text())
        .filter(c -> !left.contains(c))
        .distinct()
        .collect(Collectors.joining(", "));
  }
}
