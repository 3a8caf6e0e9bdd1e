package bargelane.core.filter;

import bargelane.core.filter.Filter.Field;
import bargelane.core.filter.Filter.Kind;
import bargelane.core.filter.Filter.Relation;
import bargelane.core.net.Address;
import bargelane.core.net.Subnet;
import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.stream.Collectors;

/** Reads a filter by recursive descent, one character at a time. */
final class FilterParser {

  private static final int LONGEST = 4000;
  private static final int DEEPEST = 64;
  private static final Map<String, Integer> UNITS =
      Map.of("b", 0, "kib", 10, "mib", 20, "gib", 30, "tib", 40);
  private static final List<String> WORDS = List.of("and", "or", "not", "has", "lacks", "among");

  private final String text;
  private int at;
  private int depth;

  FilterParser(String text) {
    this.text = text;
  }

  Filter parse() {
    if (text.length() > LONGEST) {
      throw new FilterException(
          LONGEST, "the filter is longer than " + LONGEST + " characters", "say it shorter");
    }
    skip();
    if (at == text.length()) {
      return Filter.ALL;
    }
    Filter whole = or();
    if (at < text.length()) {
      throw new FilterException(
          at, "'" + here() + "' can't follow here", "join conditions by 'and' or 'or'");
    }
    return whole;
  }

  private Filter or() {
    List<Filter> any = new ArrayList<>(List.of(and()));
    while (word("or")) {
      any.add(and());
    }
    return any.size() == 1 ? any.get(0) : new Filter.Or(List.copyOf(any));
  }

  private Filter and() {
    List<Filter> all = new ArrayList<>(List.of(not()));
    while (word("and")) {
      all.add(not());
    }
    return all.size() == 1 ? all.get(0) : new Filter.And(List.copyOf(all));
  }

  private Filter not() {
    int start = at;
    if (++depth > DEEPEST) {
      throw new FilterException(start, "the filter is nested too deep", "say it flatter");
    }
    try {
      if (word("not")) {
        return new Filter.Not(not());
      }
      if (sign("(")) {
        Filter inner = or();
        if (!sign(")")) {
          throw new FilterException(
              at,
              "the bracket that opens at character " + (start + 1) + " is not closed",
              "add ')'");
        }
        return inner;
      }
      return condition();
    } finally {
      depth--;
    }
  }

  private Filter condition() {
    int start = at;
    String word = bare();
    if (word.isEmpty() || WORDS.contains(word.toLowerCase(Locale.ROOT))) {
      throw new FilterException(start, "a field is missing", fields());
    }
    int dot = word.indexOf('.');
    String label = "";
    Field field = Field.of(dot < 0 ? word : word.substring(0, dot)).orElse(null);
    if (field == null || dot >= 0 != (field == Field.LABEL)) {
      throw new FilterException(start, "'" + word + "' is not a field", fields());
    }
    if (field == Field.LABEL) {
      label = word.substring(dot + 1);
      if (label.isEmpty()) {
        throw new FilterException(
            start, "the label has no name", "for example label.app = lending");
      }
    }
    skip();
    if (field.kind() == Kind.FLAG) {
      return new Filter.Flag(field);
    }
    int sign = at;
    return switch (field.kind()) {
      case COUNT, BYTES -> number(field, sign);
      default -> text(field, label, sign);
    };
  }

  private Filter number(Field field, int sign) {
    Relation relation =
        Relation.of(comparison())
            .orElseThrow(
                () ->
                    new FilterException(
                        sign,
                        "'" + field.word() + "' needs a comparison",
                        "one of = != < <= > >= and a number"));
    return new Filter.Number(field, relation, amount(field));
  }

  private long amount(Field field) {
    int start = at;
    int end = at;
    while (end < text.length()
        && (Character.isDigit(text.charAt(end)) || text.charAt(end) == '.')) {
      end++;
    }
    BigDecimal value;
    try {
      value = new BigDecimal(text.substring(start, end));
    } catch (NumberFormatException e) {
      throw new FilterException(
          start,
          "a number is missing",
          field.kind() == Kind.BYTES ? "for example 8GiB" : "for example 4");
    }
    at = end;
    skip();
    if (field.kind() == Kind.BYTES) {
      int unit = at;
      String name = bare().toLowerCase(Locale.ROOT);
      if (!UNITS.containsKey(name)) {
        throw new FilterException(
            unit, "the amount needs a unit", "one of B, KiB, MiB, GiB, TiB: for example 8GiB");
      }
      skip();
      value = value.multiply(BigDecimal.valueOf(1L << UNITS.get(name)));
    }
    if (value.compareTo(BigDecimal.valueOf(Long.MAX_VALUE)) > 0
        || value.stripTrailingZeros().scale() > 0) {
      throw new FilterException(
          start, "the number is not a whole amount, or is too large", "give another");
    }
    return value.longValueExact();
  }

  /** How a text or an address is compared. */
  private enum Comparison {
    IS("="),
    IS_NOT("!="),
    HAS("has"),
    LACKS("lacks"),
    AMONG("among");

    private final String word;

    Comparison(String word) {
      this.word = word;
    }

    boolean part() {
      return this == HAS || this == LACKS;
    }

    boolean negative() {
      return this == IS_NOT || this == LACKS;
    }
  }

  private Comparison comparison(Field field) {
    int start = at;
    for (Comparison c : List.of(Comparison.HAS, Comparison.LACKS, Comparison.AMONG)) {
      if (word(c.word)) {
        return c;
      }
    }
    String sign = comparison();
    for (Comparison c : List.of(Comparison.IS, Comparison.IS_NOT)) {
      if (sign.equals(c.word)) {
        return c;
      }
    }
    throw new FilterException(
        start,
        sign.isEmpty()
            ? "'" + field.word() + "' needs a comparison"
            : "'" + field.word() + "' can't be compared by '" + sign + "'",
        "= or != or has or lacks and a value, or among (a, b)");
  }

  private Filter text(Field field, String label, int sign) {
    Comparison comparison = comparison(field);
    List<String> values = new ArrayList<>();
    List<Integer> starts = new ArrayList<>();
    if (comparison == Comparison.AMONG) {
      if (!sign("(")) {
        throw new FilterException(at, "a list is missing", "for example among (a, b)");
      }
      do {
        starts.add(at);
        values.add(value());
      } while (sign(","));
      if (!sign(")")) {
        throw new FilterException(at, "the list is not closed", "add ')'");
      }
    } else {
      starts.add(at);
      values.add(value());
    }
    Filter positive;
    if (field.kind() == Kind.ADDRESS) {
      if (comparison.part()) {
        throw new FilterException(
            sign,
            "an address can't be compared by '" + comparison.word + "'",
            "for example = 10.4.0.0/16");
      }
      for (int i = 0; i < values.size(); i++) {
        if (!Address.valid(values.get(i)) && Subnet.of(values.get(i)).isEmpty()) {
          throw new FilterException(
              starts.get(i),
              "'" + values.get(i) + "' is not an address or block",
              "for example 10.4.2.7 or 10.4.0.0/16");
        }
      }
      positive = new Filter.Within(List.copyOf(values));
    } else {
      positive = new Filter.Text(field, label, comparison.part(), List.copyOf(values));
    }
    return comparison.negative() ? new Filter.Not(positive) : positive;
  }

  /** A quoted value, in which a doubled quote is one, or a bare word. */
  private String value() {
    int start = at;
    if (at < text.length() && (text.charAt(at) == '\'' || text.charAt(at) == '"')) {
      char quote = text.charAt(at++);
      StringBuilder value = new StringBuilder();
      while (at < text.length()) {
        char c = text.charAt(at++);
        if (c != quote) {
          value.append(c);
        } else if (at < text.length() && text.charAt(at) == quote) {
          value.append(quote);
          at++;
        } else {
          skip();
          return value.toString();
        }
      }
      throw new FilterException(start, "the quote is not closed", "add " + quote);
    }
    String word = bare();
    if (word.isEmpty() || WORDS.contains(word.toLowerCase(Locale.ROOT))) {
      throw new FilterException(
          start, "a value is missing", "a word, or anything in quotes: 'Mill Street'");
    }
    skip();
    return word;
  }

  /** The letters of a comparison; empty if there is none. */
  private String comparison() {
    int start = at;
    while (at < text.length() && "=!<>~".indexOf(text.charAt(at)) >= 0) {
      at++;
    }
    String found = text.substring(start, at);
    skip();
    return found;
  }

  private String bare() {
    int start = at;
    while (at < text.length()
        && (Character.isLetterOrDigit(text.charAt(at))
            || "._-:/@*".indexOf(text.charAt(at)) >= 0)) {
      at++;
    }
    return text.substring(start, at);
  }

  private boolean word(String wanted) {
    int start = at;
    if (bare().equalsIgnoreCase(wanted)) {
      skip();
      return true;
    }
    at = start;
    return false;
  }

  private boolean sign(String wanted) {
    if (text.startsWith(wanted, at)) {
      at += wanted.length();
      skip();
      return true;
    }
    return false;
  }

  private void skip() {
    while (at < text.length() && Character.isWhitespace(text.charAt(at))) {
      at++;
    }
  }

  private String here() {
    int end = at;
    while (end < text.length() && !Character.isWhitespace(text.charAt(end))) {
      end++;
    }
    return text.substring(at, end);
  }

  private static String fields() {
    return "fields: "
        + Arrays.stream(Field.values())
            .map(f -> f == Field.LABEL ? "label.NAME" : f.word())
            .collect(Collectors.joining(", "));
  }
}
