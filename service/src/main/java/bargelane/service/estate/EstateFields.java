package bargelane.service.estate;

import bargelane.core.estate.EstatePath;
import bargelane.core.estate.Section;
import bargelane.core.lane.RuleScope;
import bargelane.core.word.Worded;
import bargelane.service.platform.Json;
import bargelane.text.Durations;
import com.fasterxml.jackson.core.type.TypeReference;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.SortedMap;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.yaml.snakeyaml.DumperOptions;
import org.yaml.snakeyaml.Yaml;

/** What things of an estate file have, and how it is written. */
final class EstateFields {

  static final String DECISIONS = "decisions";
  static final String MACHINES = "machines";
  static final String RULES = "rules";
  static final String CREDENTIALS = "credentials";

  /** What a rule of a label has. */
  static final List<String> OF_RULE = List.of("value", MACHINES);

  /** What a lane decides for, the least specific first, as files are written. */
  static final List<String> SCOPES =
      Arrays.stream(RuleScope.values())
          .sorted(Comparator.comparing(RuleScope::ordinal).reversed())
          .map(Worded::word)
          .toList();

  /** What a value is. */
  enum Kind {
    TEXT,
    DURATION,
    NUMBER,
    FLAG,
    NAMES
  }

  private EstateFields() {}

  /** The fields of one value, in the order in which they are written. */
  static Map<String, Kind> of(Section section) {
    Map<String, Kind> fields = new LinkedHashMap<>();
    switch (section) {
      case SITES -> {
        fields.put("kind", Kind.TEXT);
        fields.put("address", Kind.TEXT);
        fields.put(CREDENTIALS, Kind.NAMES);
        fields.put("schedule", Kind.TEXT);
      }
      case TIMETABLES -> {
        fields.put("every", Kind.DURATION);
        fields.put("rpo", Kind.DURATION);
        fields.put("keep", Kind.NUMBER);
        fields.put("verify", Kind.FLAG);
        fields.put("quiesce", Kind.FLAG);
      }
      case LANES -> {
        fields.put("from", Kind.TEXT);
        fields.put("to", Kind.TEXT);
      }
      case WAVES -> {
        fields.put("lane", Kind.TEXT);
        fields.put("timetable", Kind.TEXT);
      }
      case LABELS -> {
        // a list of rules
      }
    }
    return fields;
  }

  /** All that a thing may have. */
  static List<String> names(Section section) {
    Stream<String> more =
        switch (section) {
          case LANES -> Stream.of(DECISIONS);
          case WAVES -> Stream.of(MACHINES);
          default -> Stream.of();
        };
    return Stream.concat(of(section).keySet().stream(), more).toList();
  }

  /** What a thing has to have. */
  static List<String> needed(Section section) {
    return switch (section) {
      case SITES -> List.of("kind");
      case TIMETABLES -> List.of("every", "rpo", "keep");
      case LABELS -> List.of();
      case LANES -> List.of("from", "to");
      case WAVES -> List.of("lane", "timetable", MACHINES);
    };
  }

  /**
   * A value in the one form that it is compared in.
   *
   * @throws IllegalArgumentException if it is none of its kind
   */
  static String canonical(Kind kind, String told) {
    return switch (kind) {
      case TEXT, NAMES -> told;
      case DURATION -> {
        Duration d = Durations.parse(told);
        if (d.toMillisPart() != 0 || d.getSeconds() > Integer.MAX_VALUE) {
          throw new IllegalArgumentException("'" + told + "' is not a number of whole seconds");
        }
        yield duration((int) d.getSeconds());
      }
      case NUMBER -> {
        if (!told.matches("[0-9]{1,9}")) {
          throw new IllegalArgumentException("'" + told + "' is not a whole number");
        }
        yield String.valueOf(Integer.parseInt(told));
      }
      case FLAG -> {
        if (!Set.of("true", "false").contains(told)) {
          throw new IllegalArgumentException("'" + told + "' is neither true nor false");
        }
        yield told;
      }
    };
  }

  /** Seconds so that nothing of them is lost: {@code 1h30m}, {@code 45s}. */
  static String duration(int seconds) {
    String text = Durations.text(Duration.ofSeconds(seconds));
    return Durations.parse(text).getSeconds() == seconds ? text : seconds + "s";
  }

  /** The rules of a label: each its value and its filter. */
  static List<List<String>> rules(String value) {
    return Json.read(value, new TypeReference<List<List<String>>>() {});
  }

  /** A value as a person reads it in a list of changes. */
  static String shown(EstatePath path, String value) {
    return path.section().equals(Section.LABELS.word())
        ? rules(value).stream()
            .map(r -> r.get(0) + " for " + r.get(1))
            .collect(Collectors.joining("; "))
        : value;
  }

  /** Writes a file. */
  static String write(String base, SortedMap<EstatePath, String> values) {
    Map<String, Object> file = new LinkedHashMap<>();
    file.put("format", EstateYaml.FORMAT);
    file.put("base", base);
    for (Section section : Section.values()) {
      Map<String, Map<List<String>, String>> things = new LinkedHashMap<>();
      values.forEach(
          (path, value) -> {
            if (path.section().equals(section.word())) {
              things
                  .computeIfAbsent(path.steps().get(1), n -> new LinkedHashMap<>())
                  .put(path.field(), value);
            }
          });
      if (!things.isEmpty()) {
        Map<String, Object> written = new LinkedHashMap<>();
        things.forEach((name, fields) -> written.put(name, thing(section, fields)));
        file.put(section.word(), written);
      }
    }
    DumperOptions options = new DumperOptions();
    options.setDefaultFlowStyle(DumperOptions.FlowStyle.BLOCK);
    options.setWidth(200);
    options.setSplitLines(false);
    return new Yaml(options).dump(file);
  }

  private static Object thing(Section section, Map<List<String>, String> fields) {
    if (section == Section.LABELS) {
      return rules(fields.get(List.of(RULES))).stream()
          .map(
              r -> {
                Map<String, Object> rule = new LinkedHashMap<>();
                for (int i = 0; i < OF_RULE.size(); i++) {
                  rule.put(OF_RULE.get(i), r.get(i));
                }
                return rule;
              })
          .toList();
    }
    Map<String, Object> written = new LinkedHashMap<>();
    of(section)
        .forEach(
            (name, kind) -> {
              String value = fields.get(List.of(name));
              if (value != null) {
                written.put(name, typed(kind, value));
              }
            });
    if (section == Section.WAVES) {
      Map<String, Object> ranks = new LinkedHashMap<>();
      fields.entrySet().stream()
          .filter(f -> f.getKey().get(0).equals(MACHINES))
          .sorted(
              Comparator.comparing(
                      (Map.Entry<List<String>, String> f) -> Integer.parseInt(f.getValue()))
                  .thenComparing(f -> f.getKey().get(1)))
          .forEach(f -> ranks.put(f.getKey().get(1), Integer.parseInt(f.getValue())));
      written.put(MACHINES, ranks);
    }
    if (section == Section.LANES) {
      Map<String, Object> decisions = decisions(fields);
      if (!decisions.isEmpty()) {
        written.put(DECISIONS, decisions);
      }
    }
    return written;
  }

  private static Object typed(Kind kind, String value) {
    return switch (kind) {
      case NUMBER -> Integer.parseInt(value);
      case FLAG -> Boolean.parseBoolean(value);
      case NAMES -> new ArrayList<>(Arrays.asList(value.split(", ")));
      default -> value;
    };
  }

  @SuppressWarnings("unchecked")
  private static Map<String, Object> decisions(Map<List<String>, String> fields) {
    Map<String, Object> decisions = new LinkedHashMap<>();
    for (String scope : SCOPES) {
      fields.forEach(
          (field, value) -> {
            if (field.get(0).equals(DECISIONS) && field.get(1).equals(scope)) {
              Map<String, Object> at = decisions;
              for (String step : field.subList(1, field.size() - 1)) {
                at = (Map<String, Object>) at.computeIfAbsent(step, n -> new LinkedHashMap<>());
              }
              at.put(field.get(field.size() - 1), value);
            }
          });
    }
    return decisions;
  }
}
