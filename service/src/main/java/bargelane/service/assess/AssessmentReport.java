package bargelane.service.assess;

import bargelane.api.AssessedRow;
import bargelane.api.AssessmentView;
import bargelane.api.AssessmentView.BasisView;
import bargelane.api.AssessmentView.CostView;
import bargelane.api.AssumptionsView;
import bargelane.api.Counted;
import bargelane.core.assess.Fitness.Effect;
import bargelane.core.assess.Fitness.Judgement;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import java.math.BigDecimal;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.stream.Collectors;
import org.hibernate.Session;

/**
 * A revision as one HTML page that needs nothing else: to be printed, sent and kept. It holds what
 * the console shows: sums, why machines can't go as they are, assumptions, and every machine.
 */
public final class AssessmentReport {

  private static final DateTimeFormatter TIME =
      DateTimeFormatter.ofPattern("yyyy-MM-dd HH:mm 'UTC'").withZone(ZoneOffset.UTC);
  private static final String STYLE =
      """
      body{font:14px/1.45 system-ui,sans-serif;color:#1c2430;margin:2rem auto;max-width:72rem;padding:0 1rem}
      h1{font-size:1.5rem;margin:0}h2{font-size:1.1rem;margin:1.8rem 0 .5rem}
      table{border-collapse:collapse;width:100%}th,td{text-align:left;padding:.3rem .6rem;border-bottom:1px solid #d5dae1;vertical-align:top}
      th{font-weight:600;background:#f2f4f7}.n{text-align:right;font-variant-numeric:tabular-nums;white-space:nowrap}
      .quiet{color:#5a6573}.bar{background:#40658f;height:.7rem;min-width:1px}td.wide{width:30%}
      thead{display:table-header-group}tr{break-inside:avoid}
      @media print{body{margin:0;font-size:10pt}}
      """;

  private final Db db;

  public AssessmentReport(Db db) {
    this.db = db;
  }

  /** A machine's line, and what is to be done before it goes. */
  private record Machine(AssessedRow row, List<Judgement> judgements, List<String> warnings) {}

  public String html(String ref, int number) {
    return db.tx(
        s -> {
          AssessmentView v = Assessments.view(s, Assessments.find(s, ref), number);
          return new Page(v).all(machines(s, v));
        });
  }

  private static List<Machine> machines(Session s, AssessmentView v) {
    List<Machine> all = new ArrayList<>();
    s.doWork(
        c -> {
          try (PreparedStatement select =
              c.prepareStatement(
                  "select line, body from assessed_machine where assessment_id = ? and revision = ?"
                      + " order by name, machine_id")) {
            select.setString(1, v.id());
            select.setInt(2, v.revision());
            select.setFetchSize(500);
            try (ResultSet r = select.executeQuery()) {
              while (r.next()) {
                Stored stored = Json.read(r.getString(2), Stored.class);
                all.add(
                    new Machine(
                        Json.read(r.getString(1), AssessedRow.class),
                        stored.judgements(),
                        stored.warnings()));
              }
            }
          }
        });
    return all;
  }

  /** The page while it is written. */
  private static final class Page {

    private final AssessmentView v;
    private final StringBuilder out = new StringBuilder();

    Page(AssessmentView v) {
      this.v = v;
    }

    String all(List<Machine> machines) {
      out.append("<!doctype html><html lang=\"en\"><head><meta charset=\"utf-8\"><title>")
          .append(escaped(v.name()))
          .append("</title><style>")
          .append(STYLE)
          .append("</style></head><body>");
      head();
      sums();
      costs();
      fitness(machines);
      assumptions();
      machines(machines);
      return out.append("</body></html>\n").toString();
    }

    private void head() {
      out.append("<h1>").append(escaped(v.name())).append("</h1><p class=\"quiet\">");
      text(
          "Revision "
              + v.revision()
              + " of "
              + TIME.format(v.at())
              + " by "
              + v.by()
              + (v.why().isEmpty() ? "" : ": " + v.why())
              + ". "
              + v.count()
              + " machines for "
              + (v.target().isEmpty() ? "price book " + v.book() : v.target())
              + ", "
              + v.prices()
              + ".");
      out.append("</p>");
    }

    private void sums() {
      out.append("<h2>As they are configured and as they are used</h2>");
      open("", ">Configured", ">Observed");
      row(
          "A month, " + v.currency(),
          money(v.configured().monthly()),
          money(v.observed().monthly()));
      row(
          v.assumptions().horizonMonths() + " months, " + v.currency(),
          money(v.configured().horizon()),
          money(v.observed().horizon()));
      row("Machines in the sums", count(v.configured()), count(v.observed()));
      row(
          "Without a size, not in the sums",
          "" + v.configured().unsized(),
          "" + v.observed().unsized());
      row(
          "A month of the " + v.both().machines() + " that are in both",
          money(v.both().configured()),
          money(v.both().observed()));
      row("Above their size at some time", above(v.configured()), above(v.observed()));
      close();
      out.append("<p>");
      text(
          "Replicas while they wait: "
              + money(v.waiting())
              + " "
              + v.currency()
              + " a month."
              + (v.todayKnown() == 0
                  ? ""
                  : " Today "
                      + v.todayKnown()
                      + " of these machines cost "
                      + money(v.today())
                      + " "
                      + v.currency()
                      + " a month where they are."));
      out.append("</p><ul>");
      v.notes().forEach(n -> out.append("<li>").append(escaped(n)).append("</li>"));
      out.append("</ul>");
    }

    private static String count(BasisView b) {
      return "" + b.sized();
    }

    private static String above(BasisView b) {
      return b.above() + String.format(Locale.ROOT, " (%.1f h)", b.aboveHours());
    }

    private void costs() {
      out.append("<h2>Cost by item, ").append(escaped(v.currency())).append(" a month</h2>");
      open("", ">Configured", ">Observed", "");
      BigDecimal most =
          v.costs().stream()
              .map(c -> c.configured().max(c.observed()))
              .max(BigDecimal::compareTo)
              .orElse(BigDecimal.ONE);
      for (CostView c : v.costs()) {
        out.append("<tr><td>").append(escaped(c.kind()));
        cell(money(c.configured()));
        cell(money(c.observed()));
        out.append("<td class=\"wide\"><div class=\"bar\" style=\"width:")
            .append(
                c.observed()
                    .movePointRight(2)
                    .divide(most.max(new BigDecimal("0.01")), 0, java.math.RoundingMode.HALF_UP))
            .append("%\"></div></td></tr>");
      }
      close();
    }

    private void fitness(List<Machine> machines) {
      out.append("<h2>Readiness</h2>");
      out.append("<p>");
      text(
          v.verdicts().stream()
              .map(c -> Counted.verdict(c.what(), c.machines()))
              .collect(Collectors.joining(", ")));
      out.append(".</p>");
      out.append("<h2>To be done first</h2>");
      open("Machine", "What", "Remedy");
      for (Machine m : machines) {
        for (Judgement j : m.judgements) {
          if (j.effect() == Effect.GOES_AFTER || j.effect() == Effect.STAYS) {
            out.append("<tr><td>").append(escaped(m.row.machine())).append("</td><td>");
            text(j.finding().cause());
            out.append(" <span class=\"quiet\">(")
                .append(escaped(j.rule()))
                .append(")</span></td><td>");
            text(j.finding().remedy().toString());
            out.append("</td></tr>");
          }
        }
      }
      close();
    }

    private void assumptions() {
      AssumptionsView a = v.assumptions();
      out.append("<h2>Assumptions</h2>");
      group(
          "What it must carry",
          "sizes accepted as " + a.basis(),
          a.days() + " days before " + a.until(),
          "percentile " + a.percentile() + ", and the busiest " + a.sustainedHours() + " hours",
          "headroom: processors "
              + a.headroom().cpu()
              + " %, memory "
              + a.headroom().memory()
              + " %, disks "
              + a.headroom().disk()
              + " %, network "
              + a.headroom().network()
              + " %");
      group(
          "How it runs there",
          "families: " + (a.families().isEmpty() ? "all" : String.join(", ", a.families())),
          "generations: "
              + (a.generations().isEmpty() ? "all" : String.join(", ", a.generations())),
          "zone: " + (a.zone().isEmpty() ? "any" : a.zone()),
          "running "
              + a.hoursAWeek()
              + " hours a week"
              + a.runningHours().stream()
                  .map(u -> ", " + u.hoursAWeek() + " for " + u.filter())
                  .reduce("", String::concat));
      group(
          "What is agreed",
          "commitment: " + a.commitment(),
          "discount " + a.discountPercent() + " %",
          "growth " + a.growthPercent() + " % a year",
          "own licences: "
              + (a.ownLicences().isEmpty() ? "none" : String.join(", ", a.ownLicences())));
      group("Rules of fitness", v.rules());
    }

    private void group(String head, String... all) {
      out.append("<p><strong>").append(head).append("</strong>: ");
      text(String.join("; ", all) + ".");
      out.append("</p>");
    }

    private void machines(List<Machine> machines) {
      out.append("<h2>Machines</h2>");
      open(
          "Machine",
          "Verdict",
          "Configured size",
          ">A month",
          "Observed size",
          ">A month",
          ">Above",
          "Read with care");
      for (Machine m : machines) {
        AssessedRow r = m.row;
        out.append("<tr><td>").append(escaped(r.machine())).append("</td><td>");
        text(r.verdict());
        out.append("</td><td>").append(escaped(size(r.configuredSize())));
        cell(money(r.configuredMonthly()));
        out.append("<td>").append(escaped(size(r.observedSize())));
        cell(money(r.observedMonthly()));
        cell(r.above() == 0 ? "" : String.format(Locale.ROOT, "%.1f h", r.above() / 3600.0));
        out.append("<td>").append(escaped(String.join("; ", m.warnings))).append("</td></tr>");
      }
      close();
    }

    private static String size(String size) {
      return size.isEmpty() ? "none" : size;
    }

    private static String money(BigDecimal amount) {
      return amount == null ? "–" : String.format(Locale.ROOT, "%,.2f", amount);
    }

    /** Heads of columns; a {@code >} before one is for numbers. */
    private void open(String... heads) {
      out.append("<table><thead><tr>");
      for (String h : heads) {
        boolean numbers = h.startsWith(">");
        out.append(numbers ? "<th class=\"n\">" : "<th>")
            .append(escaped(numbers ? h.substring(1) : h))
            .append("</th>");
      }
      out.append("</tr></thead><tbody>");
    }

    private void row(String head, String... cells) {
      out.append("<tr><td>").append(escaped(head)).append("</td>");
      for (String c : cells) {
        cell(c);
      }
      out.append("</tr>");
    }

    private void cell(String text) {
      out.append("<td class=\"n\">").append(escaped(text)).append("</td>");
    }

    private void close() {
      out.append("</tbody></table>");
    }

    private void text(String text) {
      out.append(escaped(text));
    }

    private static String escaped(String text) {
      return text.replace("&", "&amp;")
          .replace("<", "&lt;")
          .replace(">", "&gt;")
          .replace("\"", "&quot;");
    }
  }
}
