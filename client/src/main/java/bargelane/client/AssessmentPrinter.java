package bargelane.client;

import static bargelane.client.Output.*;

import bargelane.api.Counted;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.io.PrintWriter;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Locale;

/** Assessments for people. */
final class AssessmentPrinter {

  private AssessmentPrinter() {}

  static String one(double value) {
    return String.format(Locale.ROOT, "%.1f", value);
  }

  /** A number without zeros at its end, which is no money. */
  static String trim(JsonNode n) {
    String text = n.decimalValue().stripTrailingZeros().toPlainString();
    return n.isNumber() ? text : plain(n);
  }

  static String target(JsonNode a) {
    String target = a.path("target").asText();
    return target.isEmpty() ? "book " + a.path("book").asText() : target;
  }

  /** A revision in sum. */
  static int print(Common c, JsonNode a) {
    if (c.output == Form.json) {
      json(c.out(), a);
      return 0;
    }
    PrintWriter out = c.out();
    String currency = a.path("currency").asText();
    JsonNode configured = a.path("configured");
    JsonNode observed = a.path("observed");
    out.println(
        "Assessment "
            + a.path("name").asText()
            + " for "
            + target(a)
            + ", revision "
            + a.path("revision").asInt()
            + " of "
            + a.path("revisions").asInt()
            + ", "
            + a.path("count").asInt()
            + " machines");
    String horizon = a.path("assumptions").path("horizonMonths").asText();
    pairs(
        out,
        "made",
        local(a.path("at").asText())
            + " by "
            + a.path("by").asText()
            + (a.path("why").asText().isEmpty() ? "" : ": " + a.path("why").asText()),
        "prices",
        a.path("prices").asText(),
        "configured",
        basis(configured, currency, horizon),
        "observed",
        basis(observed, currency, horizon) + above(observed),
        "cost by",
        costs(a),
        "compared",
        plain(a.path("both").path("configured"))
            + " configured, "
            + plain(a.path("both").path("observed"))
            + " observed, of the "
            + a.path("both").path("machines").asInt()
            + " machines that are in both",
        "today",
        a.path("todayKnown").asInt() == 0
            ? "not given"
            : plain(a.path("today"))
                + " "
                + currency
                + " a month for the "
                + a.path("todayKnown").asInt()
                + " machines whose cost is given",
        "waiting",
        plain(a.path("waiting")) + " " + currency + " a month for the replicas until they move",
        "verdicts",
        counts(a.path("verdicts")),
        "reasons",
        counts(a.path("reasons")),
        "assumed",
        assumed(a.path("assumptions")));
    for (JsonNode note : a.path("notes")) {
      out.println("Note: " + note.asText());
    }
    out.println("Machines: bargelane assessment machines " + quoted(a.path("name").asText()));
    return 0;
  }

  private static String quoted(String name) {
    return name.contains(" ") ? "\"" + name + "\"" : name;
  }

  private static String basis(JsonNode b, String currency, String months) {
    return plain(b.path("monthly"))
        + " "
        + currency
        + " a month, "
        + plain(b.path("horizon"))
        + " in "
        + months
        + " months, of "
        + b.path("sized").asInt()
        + " machines"
        + (b.path("unsized").asInt() == 0
            ? ""
            : "; " + b.path("unsized").asInt() + " have no size or class and are not in it");
  }

  private static String above(JsonNode b) {
    return b.path("above").asInt() == 0
        ? ""
        : "; "
            + b.path("above").asInt()
            + " were above their size for "
            + one(b.path("aboveHours").asDouble())
            + " h in all";
  }

  private static String costs(JsonNode a) {
    StringBuilder text = new StringBuilder();
    for (JsonNode c : a.path("costs")) {
      text.append(text.isEmpty() ? "" : ", ")
          .append(c.path("kind").asText())
          .append(' ')
          .append(plain(c.path("configured")))
          .append(" / ")
          .append(plain(c.path("observed")));
    }
    return text.append(" (configured / observed)").toString();
  }

  private static String counts(JsonNode counts) {
    StringBuilder text = new StringBuilder();
    for (JsonNode c : counts) {
      text.append(text.isEmpty() ? "" : ", ")
          .append(Counted.verdict(c.path("what").asText(), c.path("machines").asInt()));
    }
    return text.isEmpty() ? "none" : text.toString();
  }

  private static String assumed(JsonNode a) {
    JsonNode h = a.path("headroom");
    return a.path("basis").asText()
        + ", P"
        + trim(a.path("percentile"))
        + " of "
        + a.path("days").asInt()
        + " days before "
        + a.path("until").asText()
        + " and the busiest "
        + a.path("sustainedHours").asInt()
        + " h, headroom "
        + trim(h.path("cpu"))
        + "/"
        + trim(h.path("memory"))
        + "/"
        + trim(h.path("disk"))
        + "/"
        + trim(h.path("network"))
        + " %, "
        + trim(a.path("hoursAWeek"))
        + " h a week, commitment "
        + a.path("commitment").asText()
        + ", discount "
        + trim(a.path("discountPercent"))
        + " %, growth "
        + trim(a.path("growthPercent"))
        + " %, own licences "
        + (a.path("ownLicences").isEmpty() ? "none" : join(a.path("ownLicences"), ", "));
  }

  /** A page of machines. */
  static void machines(Common c, JsonNode page) {
    if (c.output == Form.json) {
      json(c.out(), page);
      return;
    }
    rows(
        c.out(),
        c.output,
        page.path("items"),
        "No machines.",
        text("MACHINE", "machine"),
        text("VERDICT", "verdict"),
        of("HAS", m -> m.path("cpus").asInt() + " × " + size(m.path("memoryMib").asLong() << 20)),
        text("CONFIGURED", "configuredSize"),
        number("A MONTH", "configuredMonthly"),
        text("OBSERVED", "observedSize"),
        number("A MONTH", "observedMonthly"),
        of("TODAY", m -> m.path("today").isNull() ? "" : plain(m.path("today"))),
        of(
            "ABOVE",
            m ->
                m.path("above").asLong() == 0 ? "" : one(m.path("above").asLong() / 3600.0) + " h"),
        of("REASONS", m -> join(m.path("reasons"), " ")),
        of(
            "ACCEPTED",
            m -> m.path("accepted").asText() + (m.path("stale").asBoolean() ? " (stale)" : "")));
    if (c.output == Form.table && page.path("total").asLong() > page.path("items").size()) {
      c.out()
          .println(
              page.path("items").size()
                  + " of "
                  + page.path("total").asLong()
                  + "; further ones: --page");
    }
  }

  /** One machine with its derivations. */
  static void machine(Common c, JsonNode m) {
    PrintWriter out = c.out();
    JsonNode row = m.path("row");
    String currency = m.path("currency").asText();
    out.println(
        row.path("machine").asText()
            + ": "
            + row.path("verdict").asText()
            + (m.path("way").asText().isEmpty()
                ? ""
                : ", best by " + m.path("way").asText() + " (" + m.path("wayWhy").asText() + ")"));
    for (JsonNode w : m.path("warnings")) {
      out.println("Read with care: " + w.asText());
    }
    for (String basis : new String[] {"configured", "observed"}) {
      out.println();
      sized(out, m.path(basis), currency);
    }
    if (!m.path("judgements").isEmpty()) {
      out.println();
    }
    for (JsonNode j : m.path("judgements")) {
      JsonNode f = j.path("finding");
      out.println(
          j.path("effect").asText()
              + ": "
              + f.path("thing").asText()
              + ": "
              + f.path("cause").asText()
              + " ("
              + f.path("code").asText()
              + ")");
      out.println("  next: " + f.path("remedy").asText());
      out.println(
          "  rule: "
              + j.path("rule").asText()
              + (j.path("facts").isEmpty() ? "" : "; " + join(j.path("facts"), ", "))
              + (j.path("source").asText().isEmpty()
                  ? ""
                  : "; told by " + j.path("source").asText()));
    }
  }

  private static void sized(PrintWriter out, JsonNode s, String currency) {
    out.println(
        s.path("basis").asText()
            + ": "
            + (s.path("size").asText().isEmpty()
                ? "no size"
                : s.path("size").asText()
                    + " ("
                    + s.path("cpus").asInt()
                    + " × "
                    + size(s.path("memoryMib").asLong() << 20)
                    + ")")
            + (s.path("monthly").isNull()
                ? ", no sum"
                : ", " + plain(s.path("monthly")) + " " + currency + " a month"));
    for (JsonNode d : s.path("demands")) {
      out.println("  " + d.path("load").asText() + ": " + d.path("derivation").asText());
    }
    for (JsonNode d : s.path("disks")) {
      out.println(
          "  disk "
              + d.path("volume").asText()
              + ", "
              + size(d.path("bytes").asLong())
              + ": "
              + (d.path("storage").asText().isEmpty() ? "none" : d.path("storage").asText())
              + ", "
              + d.path("derivation").asText());
    }
    for (JsonNode l : s.path("lines")) {
      out.println(
          "  "
              + l.path("kind").asText()
              + " "
              + l.path("what").asText()
              + (l.path("of").asText().isEmpty() ? "" : " for " + l.path("of").asText())
              + ": "
              + l.path("derivation").asText());
    }
    if (!s.path("waiting").isNull()) {
      out.println(
          "  its replica costs "
              + plain(s.path("waiting"))
              + " "
              + currency
              + " a month while it waits");
    }
    long above =
        Math.max(s.path("aboveCpuSeconds").asLong(), s.path("aboveMemorySeconds").asLong());
    if (above > 0) {
      out.println("  above this size for " + one(above / 3600.0) + " h in the window");
    }
    for (JsonNode n : s.path("notes")) {
      out.println("  note: " + n.asText());
    }
    out.println("  chosen among: " + considered(s.path("considered")));
    findings(out, s.path("findings"));
  }

  /** Those that were passed over, and how many would have been dearer. */
  private static String considered(JsonNode all) {
    StringBuilder text = new StringBuilder();
    int dearer = 0;
    for (JsonNode one : all) {
      if (one.asText().endsWith("dearer")) {
        dearer++;
      } else {
        text.append(text.isEmpty() ? "" : "; ").append(one.asText());
      }
    }
    return text + "; " + dearer + " more carry it and are dearer";
  }

  /** Two revisions side by side. */
  static void comparison(Common c, JsonNode x) {
    if (c.output != Form.table) {
      if (c.output == Form.json) {
        json(c.out(), x);
      } else {
        rows(c.out(), c.output, x.path("machines"), "", differences(x));
      }
      return;
    }
    PrintWriter out = c.out();
    String basis = x.path("basis").asText();
    for (String side : new String[] {"former", "present"}) {
      JsonNode a = x.path(side);
      out.println(
          a.path("name").asText()
              + ", revision "
              + a.path("revision").asInt()
              + ", for "
              + target(a)
              + ": "
              + plain(a.path(basis).path("monthly"))
              + " "
              + a.path("currency").asText()
              + " a month, "
              + basis);
    }
    out.println(
        "Difference: "
            + plain(x.path("monthly"))
            + " "
            + x.path("present").path("currency").asText()
            + " a month, of the "
            + x.path("compared").asInt()
            + " machines that are in both sums");
    if (x.path("onlyFormer").asInt() + x.path("onlyPresent").asInt() > 0) {
      out.println(
          "In one sum alone: "
              + x.path("onlyFormer").asInt()
              + " in that of "
              + side(x, "former")
              + ", "
              + x.path("onlyPresent").asInt()
              + " in that of "
              + side(x, "present"));
    }
    rows(
        out,
        Form.table,
        x.path("assumptions"),
        "The same assumptions.",
        text("ASSUMED", "what"),
        text(head(x, "former", ""), "former"),
        text(head(x, "present", ""), "present"));
    out.println();
    rows(out, Form.table, x.path("machines"), "No machine differs.", differences(x));
    if (x.path("differing").asInt() > x.path("machines").size()) {
      out.println(
          x.path("machines").size() + " of " + x.path("differing").asInt() + " that differ");
    }
  }

  /** What tells one side of a comparison from the other: its name, or its revision. */
  private static String side(JsonNode x, String side) {
    String name = x.path(side).path("name").asText();
    return name.equals(x.path("former").path("name").asText())
            && name.equals(x.path("present").path("name").asText())
        ? "revision " + x.path(side).path("revision").asInt()
        : name;
  }

  private static String head(JsonNode x, String side, String of) {
    return side(x, side).toUpperCase(java.util.Locale.ROOT) + of;
  }

  private static Output.Column[] differences(JsonNode x) {
    return new Output.Column[] {
      text("MACHINE", "machine"),
      text(head(x, "former", ""), "formerSize"),
      text(head(x, "present", ""), "presentSize"),
      number(head(x, "former", " A MONTH"), "formerMonthly"),
      number(head(x, "present", " A MONTH"), "presentMonthly"),
      number("DIFFERENCE", "monthly"),
      of("WHY", m -> join(m.path("why"), "; "))
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
