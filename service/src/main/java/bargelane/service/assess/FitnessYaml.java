package bargelane.service.assess;

import bargelane.core.assess.Fitness;
import bargelane.core.assess.Fitness.Condition;
import bargelane.core.assess.Fitness.Effect;
import bargelane.core.assess.Fitness.Relation;
import bargelane.core.assess.Fitness.Rule;
import bargelane.core.assess.Fitness.SystemRow;
import bargelane.core.assess.Fitness.Way;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.service.platform.ProblemException;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.dataformat.yaml.YAMLMapper;
import java.time.LocalDate;
import java.time.format.DateTimeParseException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Pattern;
import java.util.regex.PatternSyntaxException;

/** Reads rules of fitness (docs/formats/fitness.md). */
final class FitnessYaml {

  private static final YAMLMapper YAML = new YAMLMapper();
  private static final String FORMAT = "bargelane/fitness/1";
  private static final int LONGEST = 1 << 20;

  /** Rules, and packages that belong to platforms. */
  record Read(Fitness fitness, Set<String> agents) {}

  private FitnessYaml() {}

  /** Reads rules; what is wrong with them is told with the rule it is in. */
  static Read read(String text) {
    JsonNode all;
    try {
      if (text.length() > LONGEST) {
        throw wrong("the text has " + text.length() + " characters", "keep it below a million");
      }
      all = YAML.readTree(text);
    } catch (JsonProcessingException e) {
      throw wrong(
          "line "
              + (e.getLocation() == null ? 1 : e.getLocation().getLineNr())
              + ": "
              + e.getOriginalMessage().lines().findFirst().orElse(""),
          "mend the YAML");
    }
    if (all == null || !FORMAT.equals(all.path("format").asText())) {
      throw wrong("these are no rules of fitness", "begin with: format: " + FORMAT);
    }
    List<SystemRow> systems = new ArrayList<>();
    for (JsonNode n : all.path("systems")) {
      systems.add(system(n));
    }
    List<Rule> rules = new ArrayList<>();
    Set<String> ids = new HashSet<>();
    for (JsonNode n : all.path("rules")) {
      Rule rule = rule(n);
      if (!ids.add(rule.id())) {
        throw wrong("rule '" + rule.id() + "' is there twice", "give each its own id");
      }
      rules.add(rule);
    }
    List<Way> ways = new ArrayList<>();
    for (JsonNode n : all.path("ways")) {
      ways.add(
          new Way(
              must(n, "way", "a way"),
              conditions(n.path("when"), "way '" + n.path("way").asText() + "'"),
              must(n, "why", "way '" + n.path("way").asText() + "'")));
    }
    Set<String> agents = new TreeSet<>();
    all.path("agents").forEach(a -> agents.add(a.asText()));
    return new Read(
        new Fitness(all.path("version").asText("unnamed"), systems, rules, ways), agents);
  }

  private static ProblemException wrong(String what, String remedy) {
    return ProblemException.invalid("rules-malformed", what, remedy);
  }

  private static String must(JsonNode n, String field, String of) {
    String text = n.path(field).asText("");
    if (text.isBlank()) {
      throw wrong(of + " has no '" + field + "'", "give it one");
    }
    return text;
  }

  private static SystemRow system(JsonNode n) {
    String match = must(n, "match", "a system");
    Optional<LocalDate> until = Optional.empty();
    String told = n.path("supportedUntil").asText("");
    try {
      if (!told.isEmpty()) {
        until = Optional.of(LocalDate.parse(told));
      }
      return new SystemRow(
          Pattern.compile(match, Pattern.CASE_INSENSITIVE),
          must(n, "family", "system '" + match + "'"),
          until,
          n.path("licence").asText(""),
          n.path("source").asText(""));
    } catch (DateTimeParseException e) {
      throw wrong(
          "'" + told + "' of system '" + match + "' is not a date", "write it as 2028-06-30");
    } catch (PatternSyntaxException e) {
      throw wrong(
          "'" + match + "' of a system is not a regular expression: " + e.getDescription(),
          "escape what is meant as it stands");
    }
  }

  private static Rule rule(JsonNode n) {
    String id = must(n, "id", "a rule");
    String of = "rule '" + id + "'";
    String code = n.path("code").asText("house-rule");
    Code is =
        Arrays.stream(Code.values())
            .filter(c -> c.text().equals(code))
            .findFirst()
            .orElseThrow(
                () ->
                    wrong(
                        "'" + code + "' of " + of + " is not a code of the catalogue",
                        "leave it out: it is a house-rule then"));
    String effect = must(n, "effect", of);
    String who = n.path("who").asText("engineer").toUpperCase(Locale.ROOT).replace(' ', '_');
    return new Rule(
        id,
        is,
        conditions(n.path("when"), of),
        Effect.of(effect)
            .orElseThrow(
                () ->
                    wrong(
                        "'" + effect + "' is not an effect of " + of,
                        "write note, missing, goes after or stays")),
        must(n, "cause", of),
        must(n, "remedy", of),
        Arrays.stream(Who.values())
            .filter(w -> w.name().equals(who))
            .findFirst()
            .orElseThrow(
                () ->
                    wrong(
                        "'" + who + "' of " + of + " is nobody", "write engineer or site owner")));
  }

  private static List<Condition> conditions(JsonNode when, String of) {
    if (!when.isObject() || when.isEmpty()) {
      throw wrong(of + " has no conditions", "give it some: when: {firmware: bios}");
    }
    List<Condition> all = new ArrayList<>();
    when.fields()
        .forEachRemaining(
            e -> {
              if (!e.getValue().isObject()) {
                all.add(new Condition(e.getKey(), Relation.IS, value(e.getValue())));
                return;
              }
              e.getValue()
                  .fields()
                  .forEachRemaining(
                      r ->
                          all.add(
                              new Condition(
                                  e.getKey(), relation(r.getKey(), of), value(r.getValue()))));
            });
    return all;
  }

  private static Relation relation(String text, String of) {
    for (Relation r : Relation.values()) {
      if (r.name().equalsIgnoreCase(text)) {
        return r;
      }
    }
    throw wrong(
        "'" + text + "' in " + of + " is not a relation",
        "write one of is, not, in, has, over, under, known");
  }

  private static Object value(JsonNode n) {
    if (n.isArray()) {
      List<Object> all = new ArrayList<>();
      n.forEach(x -> all.add(value(x)));
      return List.copyOf(all);
    }
    if (n.isBoolean()) {
      return n.asBoolean();
    }
    return n.isNumber() ? (Object) n.asDouble() : n.asText();
  }
}
