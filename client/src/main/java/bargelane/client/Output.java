package bargelane.client;

import bargelane.api.Durations;
import bargelane.api.Sizes;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.SerializationFeature;
import java.io.PrintWriter;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.function.Function;

/** Tables for people, JSON and CSV (RFC 4180) for programs. */
final class Output {

  /** Ways to print. */
  enum Form {
    table,
    json,
    csv
  }

  /** One column: its head, how a row's value is told to people, and whether it is a number. */
  record Column(String head, Function<JsonNode, String> text, boolean right) {}

  private static final DateTimeFormatter TIME =
      DateTimeFormatter.ofPattern("yyyy-MM-dd HH:mm:ss", Locale.ROOT);

  private Output() {}

  static Column text(String head, String field) {
    return new Column(head, row -> plain(row.path(field)), false);
  }

  static Column number(String head, String field) {
    return new Column(head, row -> plain(row.path(field)), true);
  }

  static Column bytes(String head, String field) {
    return new Column(head, row -> size(row.path(field).asLong()), true);
  }

  static Column time(String head, String field) {
    return new Column(
        head, row -> row.path(field).isTextual() ? local(row.path(field).asText()) : "-", false);
  }

  static Column of(String head, Function<JsonNode, String> text) {
    return new Column(head, text, false);
  }

  static String plain(JsonNode node) {
    if (node.isMissingNode() || node.isNull()) {
      return "-";
    }
    return node.isArray()
        ? (node.isEmpty() ? "-" : join(node, " "))
        : node.isBoolean()
            ? (node.asBoolean() ? "yes" : "no")
            : node.asText().isEmpty() ? "-" : node.asText();
  }

  static String join(JsonNode array, String between) {
    List<String> parts = new ArrayList<>();
    array.forEach(n -> parts.add(n.asText()));
    return String.join(between, parts);
  }

  static String local(String instant) {
    return TIME.format(Instant.parse(instant).atZone(ZoneId.systemDefault()));
  }

  /** Binary units, three digits. */
  static String size(long bytes) {
    return Sizes.text(bytes);
  }

  /** Seconds as people write a duration; a dash where there are none. */
  static String seconds(JsonNode node) {
    return node.isNumber() ? Durations.seconds(node.asDouble()) : "-";
  }

  static void json(PrintWriter out, JsonNode node) {
    try {
      out.println(
          ApiClient.JSON.writer(SerializationFeature.INDENT_OUTPUT).writeValueAsString(node));
    } catch (JsonProcessingException e) {
      throw new IllegalStateException(e);
    }
  }

  static void rows(PrintWriter out, Form form, JsonNode rows, String none, Column... columns) {
    switch (form) {
      case json -> json(out, rows);
      case csv -> csv(out, rows, columns);
      case table -> table(out, rows, none, columns);
    }
  }

  private static void csv(PrintWriter out, JsonNode rows, Column... columns) {
    List<String> heads = new ArrayList<>();
    for (Column c : columns) {
      heads.add(quote(c.head().toLowerCase(Locale.ROOT)));
    }
    out.print(String.join(",", heads) + "\r\n");
    for (JsonNode row : rows) {
      List<String> cells = new ArrayList<>();
      for (Column c : columns) {
        cells.add(quote(c.text().apply(row)));
      }
      out.print(String.join(",", cells) + "\r\n");
    }
    out.flush(); // a carriage return is no line's end to the writer, which flushes by lines
  }

  private static String quote(String cell) {
    return cell.matches("[^\",\r\n]*") ? cell : '"' + cell.replace("\"", "\"\"") + '"';
  }

  private static void table(PrintWriter out, JsonNode rows, String none, Column... columns) {
    if (rows.isEmpty()) {
      out.println(none);
      return;
    }
    int[] widths = new int[columns.length];
    List<String[]> cells = new ArrayList<>();
    for (int c = 0; c < columns.length; c++) {
      widths[c] = columns[c].head().length();
    }
    for (JsonNode row : rows) {
      String[] line = new String[columns.length];
      for (int c = 0; c < columns.length; c++) {
        line[c] = columns[c].text().apply(row);
        widths[c] = Math.max(widths[c], line[c].length());
      }
      cells.add(line);
    }
    StringBuilder head = new StringBuilder();
    for (int c = 0; c < columns.length; c++) {
      head.append(pad(columns[c].head(), widths[c], columns[c].right())).append("  ");
    }
    out.println(head.toString().stripTrailing());
    for (String[] line : cells) {
      StringBuilder text = new StringBuilder();
      for (int c = 0; c < columns.length; c++) {
        text.append(pad(line[c], widths[c], columns[c].right())).append("  ");
      }
      out.println(text.toString().stripTrailing());
    }
  }

  private static String pad(String text, int width, boolean right) {
    String space = " ".repeat(Math.max(0, width - text.length()));
    return right ? space + text : text + space;
  }

  /** Name and value pairs, one a line. */
  static void pairs(PrintWriter out, String... pairs) {
    int width = 0;
    for (int i = 0; i < pairs.length; i += 2) {
      width = Math.max(width, pairs[i].length());
    }
    for (int i = 0; i < pairs.length; i += 2) {
      out.println(pad(pairs[i], width, false) + "  " + pairs[i + 1]);
    }
  }

  static void findings(PrintWriter out, JsonNode findings) {
    for (JsonNode f : findings) {
      out.println(
          (f.path("blocks").asBoolean() ? "  blocks  " : "  note    ")
              + f.path("code").asText()
              + "  "
              + f.path("thing").asText()
              + ": "
              + f.path("cause").asText());
      out.println(
          "          remedy: " + f.path("remedy").asText() + " (" + f.path("who").asText() + ")");
    }
  }
}
