package bargelane.client.assessment;

import static bargelane.client.Output.*;

import bargelane.api.AssessedMachineView;
import bargelane.api.AssessedRow;
import bargelane.api.AssessmentComparison;
import bargelane.api.AssessmentView;
import bargelane.api.AssumptionsView;
import bargelane.api.Counted;
import bargelane.api.FindingView;
import bargelane.api.Page;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Remedies;
import bargelane.text.Counts;
import java.io.IOException;
import java.io.PrintWriter;
import java.io.UncheckedIOException;
import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Locale;
import org.jspecify.annotations.Nullable;

/** Assessments for people. */
final class AssessmentPrinter {

  private AssessmentPrinter() {}

  static String one(double value) {
    return String.format(Locale.ROOT, "%.1f", value);
  }

  /** A number without zeros at its end, which is no money. */
  static String trim(@Nullable Number n) {
    return n == null ? "-" : new BigDecimal(n.toString()).stripTrailingZeros().toPlainString();
  }

  static String target(AssessmentView a) {
    String target = a.target();
    return target.isEmpty() ? "book " + a.book() : target;
  }

  /** A revision in sum. */
  static int print(Common c, Answer<AssessmentView> answer) {
    AssessmentView a = answer.value();
    if (c.output == Form.json) {
      json(c.out(), answer.json());
      return 0;
    }
    PrintWriter out = c.out();
    String currency = a.currency();
    AssessmentView.BasisView configured = a.configured();
    AssessmentView.BasisView observed = a.observed();
    out.println(
        "Assessment "
            + a.name()
            + " for "
            + target(a)
            + ", revision "
            + a.revision()
            + " of "
            + a.revisions()
            + ", "
            + Counts.of(a.count(), "machine"));
    String horizon = String.valueOf(a.assumptions().horizonMonths());
    pairs(
        out,
        "made",
        local(a.at()) + " by " + a.by() + (a.why().isEmpty() ? "" : ": " + a.why()),
        "prices",
        a.prices(),
        "configured",
        basis(configured, currency, horizon),
        "observed",
        basis(observed, currency, horizon) + above(observed),
        "cost by",
        costs(a),
        "compared",
        plain(a.both().configured())
            + " configured, "
            + plain(a.both().observed())
            + " observed, of the "
            + Counts.of(a.both().machines(), "machine that is", "machines that are")
            + " in both",
        "today",
        a.todayKnown() == 0
            ? "not given"
            : Output.plain(a.today())
                + " "
                + currency
                + " a month for the "
                + Counts.of(a.todayKnown(), "machine")
                + " whose cost is given",
        "waiting",
        Output.plain(a.waiting()) + " " + currency + " a month for the replicas until they move",
        "verdicts",
        counts(a.verdicts()),
        "reasons",
        counts(a.reasons()),
        "assumed",
        assumed(a.assumptions()));
    for (String note : a.notes()) {
      out.println("Note: " + note);
    }
    out.println("Machines: bargelane assessment machines " + quoted(a.name()));
    return 0;
  }

  private static String quoted(String name) {
    return name.contains(" ") ? "\"" + name + "\"" : name;
  }

  private static String basis(AssessmentView.BasisView b, String currency, String months) {
    return Output.plain(b.monthly())
        + " "
        + currency
        + " a month, "
        + Output.plain(b.horizon())
        + " in "
        + months
        + " months, of "
        + Counts.of(b.sized(), "machine")
        + (b.unsized() == 0 ? "" : "; " + b.unsized() + " have no size or class and are not in it");
  }

  private static String above(AssessmentView.BasisView b) {
    return b.above() == 0
        ? ""
        : "; " + b.above() + " were above their size for " + one(b.aboveHours()) + " h in all";
  }

  private static String costs(AssessmentView a) {
    StringBuilder text = new StringBuilder();
    for (AssessmentView.CostView c : a.costs()) {
      text.append(text.isEmpty() ? "" : ", ")
          .append(c.kind())
          .append(' ')
          .append(Output.plain(c.configured()))
          .append(" / ")
          .append(Output.plain(c.observed()));
    }
    return text.append(" (configured / observed)").toString();
  }

  private static String counts(List<AssessmentView.CountView> counts) {
    StringBuilder text = new StringBuilder();
    for (AssessmentView.CountView c : counts) {
      text.append(text.isEmpty() ? "" : ", ").append(Counted.verdict(c.what(), c.machines()));
    }
    return text.isEmpty() ? "none" : text.toString();
  }

  private static String assumed(AssumptionsView a) {
    AssumptionsView.HeadroomView h = a.headroom();
    return a.basis()
        + ", P"
        + trim(a.percentile())
        + " of "
        + a.days()
        + " days before "
        + a.until()
        + " and the busiest "
        + a.sustainedHours()
        + " h, headroom "
        + trim(h.cpu())
        + "/"
        + trim(h.memory())
        + "/"
        + trim(h.disk())
        + "/"
        + trim(h.network())
        + " %, "
        + trim(a.hoursAWeek())
        + " h a week, commitment "
        + a.commitment()
        + ", discount "
        + trim(a.discountPercent())
        + " %, growth "
        + trim(a.growthPercent())
        + " %, own licences "
        + (a.ownLicences().isEmpty() ? "none" : join(a.ownLicences(), ", "));
  }

  /** A page of machines. */
  static void machines(Common c, Answer<Page<AssessedRow>> answer) {
    Page<AssessedRow> page = answer.value();
    if (c.output == Form.json) {
      json(c.out(), answer.json());
      return;
    }
    rows(
        c.out(),
        c.output,
        page.items(),
        "No machines.",
        text("MACHINE", AssessedRow::machine),
        text("VERDICT", AssessedRow::verdict),
        text("HAS", m -> m.cpus() + " × " + size(m.memoryMib() << 20)),
        text("CONFIGURED", AssessedRow::configuredSize),
        number("A MONTH", AssessedRow::configuredMonthly),
        text("OBSERVED", AssessedRow::observedSize),
        number("A MONTH", AssessedRow::observedMonthly),
        text("TODAY", m -> m.today() == null ? "" : Output.plain(m.today())),
        text("ABOVE", m -> m.above() == 0 ? "" : one(m.above() / 3600.0) + " h"),
        text("REASONS", m -> join(m.reasons(), " ")),
        text("ACCEPTED", m -> m.accepted() + (m.stale() ? " (stale)" : "")));
    if (c.output == Form.table && page.total() > page.items().size()) {
      c.out().println(page.items().size() + " of " + page.total() + "; further ones: --page");
    }
  }

  /** One machine with its derivations. */
  static void machine(PrintWriter out, AssessedMachineView m) {
    AssessedRow row = m.row();
    String currency = m.currency();
    out.println(
        row.machine()
            + ": "
            + row.verdict()
            + (m.way().isEmpty() ? "" : ", best by " + m.way() + " (" + m.wayWhy() + ")"));
    for (String w : m.warnings()) {
      out.println("Read with care: " + w);
    }
    for (AssessedMachineView.SizedView basis : List.of(m.configured(), m.observed())) {
      out.println();
      sized(out, basis, currency);
    }
    if (!m.judgements().isEmpty()) {
      out.println();
    }
    for (AssessedMachineView.JudgementView j : m.judgements()) {
      FindingView f = j.finding();
      out.println(j.effect() + ": " + f.thing() + ": " + f.cause() + " (" + f.code() + ")");
      out.println("  next: " + Remedies.text(f.remedy()));
      out.println(
          "  rule: "
              + j.rule()
              + (j.facts().isEmpty() ? "" : "; " + join(j.facts(), ", "))
              + (j.source().isEmpty() ? "" : "; told by " + j.source()));
    }
  }

  private static void sized(PrintWriter out, AssessedMachineView.SizedView s, String currency) {
    out.println(
        s.basis()
            + ": "
            + (s.size().isEmpty()
                ? "no size"
                : s.size() + " (" + s.cpus() + " × " + size(s.memoryMib() << 20) + ")")
            + (s.monthly() == null
                ? ", no sum"
                : ", " + Output.plain(s.monthly()) + " " + currency + " a month"));
    for (AssessedMachineView.DemandView d : s.demands()) {
      out.println("  " + d.load() + ": " + d.derivation());
    }
    for (AssessedMachineView.PlacedDiskView d : s.disks()) {
      out.println(
          "  disk "
              + d.volume()
              + ", "
              + size(d.bytes())
              + ": "
              + (d.storage().isEmpty() ? "none" : d.storage())
              + ", "
              + d.derivation());
    }
    for (AssessedMachineView.CostLineView l : s.lines()) {
      out.println(
          "  "
              + l.kind()
              + " "
              + l.what()
              + (l.of().isEmpty() ? "" : " for " + l.of())
              + ": "
              + l.derivation());
    }
    if (s.waiting() != null) {
      out.println(
          "  its replica costs "
              + Output.plain(s.waiting())
              + " "
              + currency
              + " a month while it waits");
    }
    long above = Math.max(s.aboveCpuSeconds(), s.aboveMemorySeconds());
    if (above > 0) {
      out.println("  above this size for " + one(above / 3600.0) + " h in the window");
    }
    for (String n : s.notes()) {
      out.println("  note: " + n);
    }
    out.println("  chosen among: " + considered(s.considered()));
    findings(out, s.findings());
  }

  /** Those that were passed over, and how many would have been dearer. */
  private static String considered(List<String> all) {
    StringBuilder text = new StringBuilder();
    int dearer = 0;
    for (String one : all) {
      if (one.endsWith("dearer")) {
        dearer++;
      } else {
        text.append(text.isEmpty() ? "" : "; ").append(one);
      }
    }
    return text + "; " + dearer + " more carry it and are dearer";
  }

  /** Two revisions side by side. */
  static void comparison(Common c, Answer<AssessmentComparison> answer) {
    AssessmentComparison x = answer.value();
    if (c.output != Form.table) {
      if (c.output == Form.json) {
        json(c.out(), answer.json());
      } else {
        rows(c.out(), c.output, x.machines(), "", differences(x));
      }
      return;
    }
    PrintWriter out = c.out();
    String basis = x.basis();
    for (AssessmentView a : List.of(x.former(), x.present())) {
      out.println(
          a.name()
              + ", revision "
              + a.revision()
              + ", for "
              + target(a)
              + ": "
              + plain(of(a, basis).monthly())
              + " "
              + a.currency()
              + " a month, "
              + basis);
    }
    out.println(
        "Difference: "
            + Output.plain(x.monthly())
            + " "
            + x.present().currency()
            + " a month, of the "
            + Counts.of(x.compared(), "machine that is", "machines that are")
            + " in both sums");
    if (x.onlyFormer() + x.onlyPresent() > 0) {
      out.println(
          "In one sum alone: "
              + x.onlyFormer()
              + " in that of "
              + side(x, x.former())
              + ", "
              + x.onlyPresent()
              + " in that of "
              + side(x, x.present()));
    }
    rows(
        out,
        Form.table,
        x.assumptions(),
        "The same assumptions.",
        text("ASSUMED", AssessmentComparison.Difference::what),
        text(head(x, x.former(), ""), AssessmentComparison.Difference::former),
        text(head(x, x.present(), ""), AssessmentComparison.Difference::present));
    out.println();
    rows(out, Form.table, x.machines(), "No machine differs.", differences(x));
    if (x.differing() > x.machines().size()) {
      out.println(x.machines().size() + " of " + x.differing() + " that differ");
    }
  }

  /** What tells one side of a comparison from the other: its name, or its revision. */
  private static String side(AssessmentComparison x, AssessmentView side) {
    String name = side.name();
    return name.equals(x.former().name()) && name.equals(x.present().name())
        ? "revision " + side.revision()
        : name;
  }

  private static String head(AssessmentComparison x, AssessmentView side, String of) {
    return side(x, side).toUpperCase(java.util.Locale.ROOT) + of;
  }

  private static AssessmentView.BasisView of(AssessmentView a, String basis) {
    return basis.equals("configured") ? a.configured() : a.observed();
  }

  @SuppressWarnings({"unchecked", "rawtypes"}) // an array of a generic type
  private static Column<AssessmentComparison.MachineDifference>[] differences(
      AssessmentComparison x) {
    return new Column[] {
      text("MACHINE", AssessmentComparison.MachineDifference::machine),
      text(head(x, x.former(), ""), AssessmentComparison.MachineDifference::formerSize),
      text(head(x, x.present(), ""), AssessmentComparison.MachineDifference::presentSize),
      number(
          head(x, x.former(), " A MONTH"), AssessmentComparison.MachineDifference::formerMonthly),
      number(
          head(x, x.present(), " A MONTH"), AssessmentComparison.MachineDifference::presentMonthly),
      number("DIFFERENCE", AssessmentComparison.MachineDifference::monthly),
      text("WHY", (AssessmentComparison.MachineDifference m) -> join(m.why(), "; "))
    };
  }

  /** Writes a text to a file, or to the terminal where none is named. */
  static int keep(Common c, Path file, String text) {
    if (file == null) {
      c.out().print(text);
      c.out().flush();
      return 0;
    }
    try {
      Files.writeString(file, text, StandardCharsets.UTF_8);
    } catch (IOException e) {
      throw new UncheckedIOException(file + " can't be written: " + e.getMessage(), e);
    }
    c.out().println("Written to " + file + ".");
    return 0;
  }
}
