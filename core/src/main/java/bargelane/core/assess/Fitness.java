package bargelane.core.assess;

import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;

/**
 * Whether machines will run at a target, by rules that are data (docs/formats/fitness.md). Facts
 * are named values: text, numbers, yes or no, lists of text; one that is not known is not there.
 *
 * @param version of the rules
 * @param systems operating systems; the first that matches counts
 * @param ways in which a machine can be moved; the first that applies is the best one
 */
public record Fitness(String version, List<SystemRow> systems, List<Rule> rules, List<Way> ways) {

  /**
   * An operating system.
   *
   * @param match found in what a machine is told to run
   * @param supportedUntil the last day of its maker's support; none if it is not known
   * @param licence that it needs; empty if none
   * @param source of the date
   */
  public record SystemRow(
      Pattern match,
      String family,
      Optional<LocalDate> supportedUntil,
      String licence,
      String source) {}

  /** What a rule does to the verdict. */
  public enum Effect {
    /** Good to know. */
    NOTE,
    /** A fact is missing: told, and no verdict. */
    MISSING,
    /** It goes once something is done. */
    GOES_AFTER,
    STAYS;

    public static Optional<Effect> of(String text) {
      for (Effect e : values()) {
        if (e.text().equals(text)) {
          return Optional.of(e);
        }
      }
      return Optional.empty();
    }

    public String text() {
      return name().toLowerCase(Locale.ROOT).replace('_', ' ');
    }
  }

  /** How a fact is compared. */
  public enum Relation {
    IS,
    NOT,
    IN,
    HAS,
    OVER,
    UNDER,
    KNOWN
  }

  /**
   * A fact in a relation to a value. A text {@code {fact}} as the value stands for another fact's
   * value. Of a fact that is not known everything is untrue but {@code known: false}.
   */
  public record Condition(String fact, Relation relation, Object value) {

    boolean holds(Map<String, Object> facts) {
      Object is = facts.get(fact);
      if (relation == Relation.KNOWN) {
        return Boolean.valueOf(is != null && !is.equals("")).equals(value);
      }
      Object than =
          value instanceof String s && s.startsWith("{") && s.endsWith("}")
              ? facts.get(s.substring(1, s.length() - 1))
              : value;
      if (is == null || than == null) {
        return false;
      }
      return switch (relation) {
        case IS -> same(is, than);
        case NOT -> !same(is, than);
        case IN -> than instanceof Collection<?> all && all.stream().anyMatch(x -> same(is, x));
        case HAS -> is instanceof Collection<?> all && all.stream().anyMatch(x -> same(x, than));
        case OVER -> is instanceof Number a && than instanceof Number b && compare(a, b) > 0;
        case UNDER -> is instanceof Number a && than instanceof Number b && compare(a, b) < 0;
        default -> false;
      };
    }

    private static boolean same(Object a, Object b) {
      return a instanceof Number x && b instanceof Number y
          ? compare(x, y) == 0
          : String.valueOf(a).equalsIgnoreCase(String.valueOf(b));
    }

    private static int compare(Number a, Number b) {
      return Double.compare(a.doubleValue(), b.doubleValue());
    }
  }

  /**
   * A rule: where all its conditions hold, its finding is told. {@code {fact}} in its texts stands
   * for that fact's value.
   */
  public record Rule(
      String id,
      Code code,
      List<Condition> when,
      Effect effect,
      String cause,
      String remedy,
      Who who) {}

  /** A way to move a machine, where its conditions hold. */
  public record Way(String way, List<Condition> when, String why) {}

  /** A finding with the rule and the facts that it rests on, and who told those. */
  public record Judgement(
      Finding finding, Effect effect, String rule, List<String> facts, String source) {}

  private static final Pattern PLACE = Pattern.compile("\\{([a-zA-Z0-9._/-]+)\\}");

  public Optional<SystemRow> system(String os) {
    return os.isBlank()
        ? Optional.empty()
        : systems.stream().filter(s -> s.match().matcher(os).find()).findFirst();
  }

  /**
   * Goes through all rules.
   *
   * @param told by whom a fact was told, by its name
   */
  public List<Judgement> judge(
      String machine, Map<String, Object> facts, Map<String, String> told) {
    List<Judgement> all = new ArrayList<>();
    for (Rule rule : rules) {
      if (rule.when().stream().allMatch(c -> c.holds(facts))) {
        Map<String, String> used = new TreeMap<>();
        for (Condition c : rule.when()) {
          used.put(c.fact(), facts.containsKey(c.fact()) ? text(facts.get(c.fact())) : "not known");
        }
        all.add(
            new Judgement(
                new Finding(
                    rule.code(),
                    machine,
                    filled(rule.cause(), facts),
                    filled(rule.remedy(), facts),
                    rule.who()),
                rule.effect(),
                rule.id(),
                used.entrySet().stream().map(e -> e.getKey() + " = " + e.getValue()).toList(),
                used.keySet().stream()
                    .map(f -> told.getOrDefault(f, ""))
                    .filter(s -> !s.isEmpty())
                    .distinct()
                    .collect(Collectors.joining(", "))));
      }
    }
    return all;
  }

  /** The best way to move a machine, and why; none if no way applies. */
  public Optional<Way> way(Map<String, Object> facts) {
    return ways.stream()
        .filter(w -> w.when().stream().allMatch(c -> c.holds(facts)))
        .findFirst()
        .map(w -> new Way(w.way(), w.when(), filled(w.why(), facts)));
  }

  private static String filled(String text, Map<String, Object> facts) {
    Matcher m = PLACE.matcher(text);
    return m.replaceAll(
        r -> Matcher.quoteReplacement(text(facts.getOrDefault(r.group(1), "not known"))));
  }

  private static String text(Object value) {
    if (value instanceof Collection<?> all) {
      return all.isEmpty()
          ? "none"
          : all.stream().map(String::valueOf).collect(Collectors.joining(", "));
    }
    if (value instanceof Boolean yes) {
      return yes ? "yes" : "no";
    }
    return value instanceof Double d && d == Math.rint(d)
        ? String.valueOf(d.longValue())
        : String.valueOf(value);
  }
}
