package bargelane.service.assess;

import bargelane.api.AssessedRow;
import bargelane.api.AssessmentView;
import bargelane.api.Counted;
import bargelane.core.assess.Fitness.Effect;
import bargelane.core.assess.Fitness.Judgement;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import io.pebbletemplates.pebble.PebbleEngine;
import io.pebbletemplates.pebble.extension.AbstractExtension;
import io.pebbletemplates.pebble.extension.Filter;
import io.pebbletemplates.pebble.loader.ClasspathLoader;
import io.pebbletemplates.pebble.template.EvaluationContext;
import io.pebbletemplates.pebble.template.PebbleTemplate;
import java.io.IOException;
import java.io.StringWriter;
import java.io.UncheckedIOException;
import java.math.BigDecimal;
import java.math.RoundingMode;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.time.Instant;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.function.Function;
import java.util.stream.Stream;
import org.hibernate.Session;
import org.jspecify.annotations.Nullable;

/**
 * A revision as one HTML page that needs nothing else: to be printed, sent and kept. It holds what
 * the console shows: sums, why machines can't go as they are, assumptions, and every machine. The
 * page itself is {@code assess/report.html}; whatever is put in is escaped.
 */
public final class AssessmentReport {

  private static final DateTimeFormatter TIME =
      DateTimeFormatter.ofPattern("yyyy-MM-dd HH:mm 'UTC'").withZone(ZoneOffset.UTC);

  private final PebbleTemplate page =
      new PebbleEngine.Builder()
          .loader(new ClasspathLoader())
          .extension(new Figures())
          .strictVariables(true)
          .defaultLocale(Locale.ROOT)
          .build()
          .getTemplate("assess/report.html");

  private final Db db;

  public AssessmentReport(Db db) {
    this.db = db;
  }

  /** A machine's line, and what is to be done before it goes; public for the page. */
  public record Machine(AssessedRow row, List<Task> tasks, List<String> warnings) {}

  /** What is to be done before a machine goes. */
  public record Task(String cause, String rule, String remedy) {

    private static Stream<Task> of(Judgement j) {
      return j.effect() == Effect.GOES_AFTER || j.effect() == Effect.STAYS
          ? Stream.of(new Task(j.finding().cause(), j.rule(), j.finding().remedy().toString()))
          : Stream.empty();
    }
  }

  public String html(String ref, int number) {
    return db.tx(
        s -> {
          AssessmentView v = AssessmentViews.view(s, AssessmentViews.find(s, ref), number);
          StringWriter out = new StringWriter();
          try {
            page.evaluate(
                out, Map.of("a", v, "machines", machines(s, v), "widths", widths(v.costs())));
          } catch (IOException e) {
            throw new UncheckedIOException(e);
          }
          return out.toString();
        });
  }

  /** How long each item's bar is, in percent of the longest. */
  private static List<BigDecimal> widths(List<AssessmentView.CostView> costs) {
    BigDecimal most =
        costs.stream()
            .map(c -> c.configured().max(c.observed()))
            .reduce(new BigDecimal("0.01"), BigDecimal::max);
    return costs.stream()
        .map(c -> c.observed().movePointRight(2).divide(most, 0, RoundingMode.HALF_UP))
        .toList();
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
                        stored.judgements().stream().flatMap(Task::of).toList(),
                        stored.warnings()));
              }
            }
          }
        });
    return all;
  }

  /** How figures are written. */
  private static final class Figures extends AbstractExtension {

    @Override
    public Map<String, Filter> getFilters() {
      return Map.of(
          "money",
          filter(x -> x == null ? "–" : String.format(Locale.ROOT, "%,.2f", (BigDecimal) x)),
          "tenths",
          filter(x -> String.format(Locale.ROOT, "%.1f", (Double) x)),
          "hours",
          filter(x -> String.format(Locale.ROOT, "%.1f", ((Number) x).longValue() / 3600.0)),
          "time",
          filter(x -> TIME.format((Instant) x)),
          "verdict",
          new Filter() {
            @Override
            public Object apply(
                Object word,
                Map<String, Object> arguments,
                PebbleTemplate self,
                EvaluationContext context,
                int line) {
              return Counted.verdict(
                  (String) word, ((Number) arguments.get("machines")).longValue());
            }

            @Override
            public List<String> getArgumentNames() {
              return List.of("machines");
            }
          });
    }

    private static Filter filter(Function<@Nullable Object, String> write) {
      return new Filter() {
        @Override
        public Object apply(
            @Nullable Object value,
            Map<String, Object> arguments,
            PebbleTemplate self,
            EvaluationContext context,
            int line) {
          return write.apply(value);
        }

        @Override
        public @Nullable List<String> getArgumentNames() {
          return null; // it takes none
        }
      };
    }
  }
}
