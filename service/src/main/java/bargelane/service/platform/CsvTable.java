package bargelane.service.platform;

import bargelane.api.CsvImport;
import bargelane.api.ImportResult;
import bargelane.api.ImportResult.LineProblem;
import java.io.IOException;
import java.io.StringReader;
import java.io.UncheckedIOException;
import java.time.Instant;
import java.time.format.DateTimeParseException;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.BiConsumer;
import java.util.function.Function;
import java.util.function.Predicate;
import org.apache.commons.csv.CSVFormat;
import org.apache.commons.csv.CSVParser;
import org.apache.commons.csv.CSVRecord;

/**
 * A list that somebody wrote: comma-separated values (RFC 4180) with a header line. Whatever is
 * wrong in it is gathered by line, so that all of it can be told at once; nothing of it is to be
 * stored unless {@link #sound}.
 */
public final class CsvTable {

  private static final int TOLD = 1000;

  /** A longer one is to be split: it is held in memory while it is read. */
  private static final int LONGEST = 24 << 20;

  /**
   * A value as a cell of a list that is given out: a text that a spreadsheet would take for a
   * formula has an apostrophe before it.
   */
  public static Object cell(Object value) {
    return value instanceof String text
            && !text.isEmpty()
            && "=+-@\t\r".indexOf(text.charAt(0)) >= 0
            && !text.matches("[-+]?[0-9.]*")
        ? "'" + text
        : value;
  }

  /** One line's values by column. */
  public final class Row {
    private final long line;
    private final String[] values;

    private Row(long line, String[] values) {
      this.line = line;
      this.values = values;
    }

    public long line() {
      return line;
    }

    /** A value without blanks around it; empty if there is none. */
    public String text(String column) {
      Integer at = places.get(column);
      return at == null ? "" : values[at];
    }

    /** The values of columns {@code label.NAME}, by name; those that are empty are left out. */
    public Map<String, String> labels() {
      Map<String, String> labels = new LinkedHashMap<>();
      places.forEach(
          (column, at) -> {
            if (column.startsWith("label.") && !values[at].isEmpty()) {
              labels.put(column.substring(6), values[at]);
            }
          });
      return labels;
    }

    /** A value that must be there and be right; empty after a problem was noted. */
    public String must(String column, Predicate<String> right, String otherwise) {
      String value = text(column);
      if (value.isEmpty()) {
        wrong(column, "is empty");
      } else if (!right.test(value)) {
        wrong(column, "'" + shortly(value) + "' " + otherwise);
      } else {
        return value;
      }
      return "";
    }

    /** A value that may be left out; none after a problem was noted. */
    public <T> Optional<T> maybe(
        String column, Function<String, Optional<T>> read, String otherwise) {
      String value = text(column);
      if (value.isEmpty()) {
        return Optional.empty();
      }
      Optional<T> is = read.apply(value);
      if (is.isEmpty()) {
        wrong(column, "'" + shortly(value) + "' " + otherwise);
      }
      return is;
    }

    /** Notes what is wrong with a value. */
    public void wrong(String column, String reason) {
      problem(line, column, reason);
    }
  }

  private final List<Row> rows = new ArrayList<>();
  private final Map<String, Integer> places = new LinkedHashMap<>();
  private int read;
  private long last;
  private final List<LineProblem> problems = new ArrayList<>();
  private int problemCount;

  private CsvTable() {}

  /**
   * The text of a list that was sent.
   *
   * @throws ProblemException if there is none, or more than is held in memory
   */
  public static String text(CsvImport asked) {
    if (asked.csv() == null || asked.csv().isBlank()) {
      throw ProblemException.invalid("list-missing", "the list is empty", "give a CSV file");
    }
    if (asked.csv().length() > LONGEST) {
      throw ProblemException.invalid(
          "list-too-long",
          "the list has more than " + (LONGEST >> 20) + " MiB",
          "split it, with the header in each part");
    }
    return asked.csv();
  }

  /** Reads a text; a header that lacks a column or has one that is not known is a problem. */
  public static CsvTable read(String text, List<String> required, List<String> optional) {
    return each(text, required, optional, (of, row) -> of.rows.add(row));
  }

  /** Reads a text of many lines without keeping them: each is handed over with its table. */
  public static CsvTable each(
      String text, List<String> required, List<String> optional, BiConsumer<CsvTable, Row> each) {
    CsvTable table = new CsvTable();
    String plain = text.startsWith("\uFEFF") ? text.substring(1) : text;
    if (plain.indexOf(0) >= 0) {
      table.problem(1, "", "this is not text: it holds a zero byte");
      return table;
    }
    try (CSVParser parser =
        CSVFormat.RFC4180
            .builder()
            .setIgnoreEmptyLines(true)
            .get()
            .parse(new StringReader(plain))) {
      List<String> header = null;
      long line = 1;
      for (CSVRecord record : parser) {
        if (header == null) {
          header = table.header(record, required, optional);
          if (header.isEmpty()) {
            return table;
          }
          for (String column : header) {
            table.places.put(column, table.places.size());
          }
        } else if (record.size() != header.size()) {
          table.problem(
              line, "", "has " + record.size() + " values where the header has " + header.size());
        } else {
          String[] values = new String[header.size()];
          for (int i = 0; i < values.length; i++) {
            values[i] = record.get(i).strip();
          }
          table.read++;
          table.last = line;
          each.accept(table, table.new Row(line, values));
        }
        line = parser.getCurrentLineNumber() + 1;
      }
      if (header == null) {
        table.problem(1, "", "there is no header line; it is: " + String.join(",", required));
      }
    } catch (IOException | UncheckedIOException e) {
      Throwable cause = e instanceof UncheckedIOException ? e.getCause() : e;
      table.problem(
          table.last + 1,
          "",
          "can't be read as CSV: " + shortly(String.valueOf(cause.getMessage())));
    }
    return table;
  }

  private List<String> header(CSVRecord record, List<String> required, List<String> optional) {
    List<String> header = new ArrayList<>();
    Set<String> known = new HashSet<>(required);
    known.addAll(optional);
    for (String column : record) {
      String name = column.strip().toLowerCase(Locale.ROOT);
      boolean label = name.startsWith("label.") && optional.contains("label.*");
      if (!label && !known.contains(name)) {
        problem(
            1,
            shortly(name),
            "is not a column that is known here; there are: "
                + String.join(", ", required)
                + (optional.isEmpty() ? "" : ", and if wanted " + String.join(", ", optional)));
      } else if (header.contains(name)) {
        problem(1, name, "is there twice");
      }
      header.add(label ? "label." + column.strip().substring(6) : name);
    }
    for (String name : required) {
      if (!header.contains(name)) {
        problem(1, name, "is missing in the header");
      }
    }
    return problems.isEmpty() ? header : List.of();
  }

  private static String shortly(String value) {
    String plain = value.replaceAll("\\p{Cntrl}", "?");
    return plain.length() > 60 ? plain.substring(0, 60) + "…" : plain;
  }

  /** Notes what is wrong with the list as a whole. */
  public void wrong(String reason) {
    problem(1, "", reason);
  }

  private void problem(long line, String column, String reason) {
    problemCount++;
    if (problems.size() < TOLD) {
      problems.add(new LineProblem(line, column, reason));
    }
  }

  public List<Row> rows() {
    return rows;
  }

  /** Whether nothing is wrong with it. */
  public boolean sound() {
    return problemCount == 0;
  }

  /** What is told of it. */
  public ImportResult result(int added, int changed, boolean stored) {
    return result(added, changed, 0, stored);
  }

  /** What is told of it, where something may be told of no more. */
  public ImportResult result(int added, int changed, int gone, boolean stored) {
    problems.sort(java.util.Comparator.comparingLong(LineProblem::line));
    return new ImportResult(
        read, added, changed, gone, stored && sound(), List.copyOf(problems), problemCount);
  }

  /** A number from 0 on. */
  public static Optional<Double> number(String value) {
    return value.matches("[0-9]{1,15}([.][0-9]{1,9})?")
        ? Optional.of(Double.parseDouble(value))
        : Optional.empty();
  }

  /** An instant, as 2026-11-01T00:00:00Z. */
  public static Optional<Instant> instant(String value) {
    try {
      return Optional.of(Instant.parse(value));
    } catch (DateTimeParseException e) {
      return Optional.empty();
    }
  }

  /** A whole number from 0 on. */
  public static Optional<Long> whole(String value) {
    return value.matches("[0-9]{1,15}") ? Optional.of(Long.parseLong(value)) : Optional.empty();
  }
}
