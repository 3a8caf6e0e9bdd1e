package bargelane.client;

import bargelane.api.FindingView;
import bargelane.text.Durations;
import bargelane.text.Sizes;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.SerializationFeature;
import java.io.PrintWriter;
import java.math.BigDecimal;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Locale;
import java.util.function.Function;
import java.util.stream.Collectors;
import org.jspecify.annotations.Nullable;

/** Tables for people, JSON and CSV (RFC 4180) for programs. */
public final class Output {

  /** Ways to print. */
  public enum Form {
    table,
    json,
    csv
  }

  /** One column: its head, how a row's value is told to people, and whether it is a number. */
  public record Column<T>(String head, Function<T, String> text, boolean right) {}

  private static final DateTimeFormatter TIME =
      DateTimeFormatter.ofPattern("yyyy-MM-dd HH:mm:ss", Locale.ROOT);

  private Output() {}

  public static <T> Column<T> text(String head, Function<T, ?> value) {
    return new Column<>(head, row -> plain(value.apply(row)), false);
  }

  public static <T> Column<T> number(String head, Function<T, ?> value) {
    return new Column<>(head, row -> plain(value.apply(row)), true);
  }

  public static <T> Column<T> bytes(String head, Function<T, Long> value) {
    return new Column<>(head, row -> size(value.apply(row)), true);
  }

  public static <T> Column<T> duration(String head, Function<T, ? extends @Nullable Number> value) {
    return new Column<>(head, row -> seconds(value.apply(row)), true);
  }

  public static <T> Column<T> time(String head, Function<T, @Nullable Instant> value) {
    return new Column<>(head, row -> local(value.apply(row)), false);
  }

  /** A value for people; a dash where there is none. */
  public static String plain(@Nullable Object value) {
    if (value == null) {
      return "-";
    }
    if (value instanceof Collection<?> c) {
      return c.isEmpty() ? "-" : join(c, " ");
    }
    if (value instanceof Boolean b) {
      return b ? "yes" : "no";
    }
    String text = value instanceof BigDecimal d ? d.toPlainString() : value.toString();
    return text.isEmpty() ? "-" : text;
  }

  public static String join(Collection<?> parts, String between) {
    return parts.stream().map(String::valueOf).collect(Collectors.joining(between));
  }

  /** An instant in the reader's zone; a dash where there is none. */
  public static String local(@Nullable Instant instant) {
    return instant == null ? "-" : TIME.format(instant.atZone(ZoneId.systemDefault()));
  }

  /** Binary units, three digits. */
  public static String size(long bytes) {
    return Sizes.text(bytes);
  }

  /** Seconds as people write a duration; a dash where there are none. */
  public static String seconds(@Nullable Number seconds) {
    return seconds == null ? "-" : Durations.seconds(seconds.doubleValue());
  }

  public static void json(PrintWriter out, JsonNode node) {
    try {
      out.println(
          ApiClient.JSON.writer(SerializationFeature.INDENT_OUTPUT).writeValueAsString(node));
    } catch (JsonProcessingException e) {
      throw new IllegalStateException(e);
    }
  }

  /** Prints a list; {@code none} says what to do next where it is empty. */
  @SafeVarargs
  public static <T> void rows(
      PrintWriter out, Form form, Answer<List<T>> rows, String none, Column<T>... columns) {
    if (form == Form.json) {
      json(out, rows.json());
    } else {
      rows(out, form, rows.value(), none, columns);
    }
  }

  /** Prints rows as a table or as CSV. */
  @SafeVarargs
  public static <T> void rows(
      PrintWriter out, Form form, List<T> rows, String none, Column<T>... columns) {
    if (form == Form.csv) {
      csv(out, rows, List.of(columns));
    } else {
      table(out, rows, none, List.of(columns));
    }
  }

  private static <T> void csv(PrintWriter out, List<T> rows, List<Column<T>> columns) {
    line(out, columns.stream().map(c -> c.head().toLowerCase(Locale.ROOT)).toList());
    for (T row : rows) {
      line(out, columns.stream().map(c -> c.text().apply(row)).toList());
    }
    out.flush(); // a carriage return is no line's end to the writer, which flushes by lines
  }

  private static void line(PrintWriter out, List<String> cells) {
    out.print(cells.stream().map(Output::quote).collect(Collectors.joining(",")) + "\r\n");
  }

  /** A cell (RFC 4180, section 2), as text where a spreadsheet would take it for a formula. */
  private static String quote(String cell) {
    boolean formula =
        !cell.isEmpty()
            && "=+-@\t\r".indexOf(cell.charAt(0)) >= 0
            && !cell.matches("[-+]?[0-9.,]*");
    String text = formula ? "'" + cell : cell;
    return text.matches("[^\",\r\n]*") ? text : '"' + text.replace("\"", "\"\"") + '"';
  }

  /**
   * Text with its control characters as their pictures (Unicode, block Control Pictures), but for
   * ends of lines and tabs, so that it can't command a terminal, nor turn the direction of reading.
   */
  static @Nullable String shown(@Nullable String text) {
    if (text == null || text.codePoints().noneMatch(Output::commands)) {
      return text;
    }
    StringBuilder shown = new StringBuilder();
    text.replace("\r\n", "\n")
        .codePoints()
        .forEach(
            c ->
                shown.appendCodePoint(
                    !commands(c) ? c : c < 0x20 ? 0x2400 + c : c == 0x7f ? 0x2421 : 0xfffd));
    return shown.toString();
  }

  private static boolean commands(int c) {
    return Character.isISOControl(c) && c != '\n' && c != '\t'
        || c >= 0x202a && c <= 0x202e
        || c >= 0x2066 && c <= 0x2069;
  }

  private static <T> void table(
      PrintWriter out, List<T> rows, String none, List<Column<T>> columns) {
    if (rows.isEmpty()) {
      out.println(none);
      return;
    }
    List<List<String>> lines = new ArrayList<>();
    lines.add(columns.stream().map(Column::head).toList());
    for (T row : rows) {
      lines.add(columns.stream().map(c -> c.text().apply(row)).toList());
    }
    int[] widths = new int[columns.size()];
    for (List<String> cells : lines) {
      for (int c = 0; c < widths.length; c++) {
        widths[c] = Math.max(widths[c], cells.get(c).length());
      }
    }
    for (List<String> cells : lines) {
      StringBuilder text = new StringBuilder();
      for (int c = 0; c < widths.length; c++) {
        text.append(pad(cells.get(c), widths[c], columns.get(c).right())).append("  ");
      }
      out.println(text.toString().stripTrailing());
    }
  }

  private static String pad(String text, int width, boolean right) {
    String space = " ".repeat(Math.max(0, width - text.length()));
    return right ? space + text : text + space;
  }

  /** Name and value pairs, one a line. */
  public static void pairs(PrintWriter out, String... pairs) {
    int width = 0;
    for (int i = 0; i < pairs.length; i += 2) {
      width = Math.max(width, pairs[i].length());
    }
    for (int i = 0; i < pairs.length; i += 2) {
      out.println(pad(pairs[i], width, false) + "  " + pairs[i + 1]);
    }
  }

  public static void findings(PrintWriter out, List<FindingView> findings) {
    for (FindingView f : findings) {
      out.println(
          (f.blocks() ? "  blocks  " : "  note    ")
              + f.code()
              + "  "
              + f.thing()
              + ": "
              + f.cause());
      out.println("          remedy: " + Remedies.text(f.remedy()) + " (" + f.who() + ")");
    }
  }
}
