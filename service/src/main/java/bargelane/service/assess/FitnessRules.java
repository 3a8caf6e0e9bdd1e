package bargelane.service.assess;

import bargelane.api.FitnessRulesAdd;
import bargelane.api.FitnessRulesView;
import bargelane.core.assess.Fitness;
import bargelane.core.assess.Fitness.Rule;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.ProblemException;
import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.time.Clock;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import org.hibernate.Session;

/**
 * The rules of fitness: those that come with the service, and rules of the house. A rule of the
 * house takes the place of a shipped one of its id; its systems and ways go before the shipped.
 */
public final class FitnessRules {

  private static final String SHIPPED = "shipped";
  private static final Pattern NAME = Pattern.compile("[a-zA-Z0-9][a-zA-Z0-9._-]{0,62}");

  private final Db db;
  private final Events events;
  private final Clock clock;

  public FitnessRules(Db db, Events events, Clock clock) {
    this.db = db;
    this.events = events;
    this.clock = clock;
  }

  private static String shippedText() {
    try (InputStream in = FitnessRules.class.getResourceAsStream("/assess/fitness.yaml")) {
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  private static List<FitnessRulesEntity> own(Session s) {
    return Db.list(s, FitnessRulesEntity.class, "from FitnessRulesEntity order by name");
  }

  /** All rules together, and the packages that belong to platforms. */
  static FitnessYaml.Read all(Session s) {
    FitnessYaml.Read all = FitnessYaml.read(shippedText());
    for (FitnessRulesEntity e : own(s)) {
      FitnessYaml.Read house = FitnessYaml.read(e.yaml);
      Set<String> replaced =
          house.fitness().rules().stream().map(Rule::id).collect(Collectors.toSet());
      List<Rule> rules = new ArrayList<>(all.fitness().rules());
      rules.removeIf(r -> replaced.contains(r.id()));
      rules.addAll(house.fitness().rules());
      Set<String> agents = new TreeSet<>(all.agents());
      agents.addAll(house.agents());
      all =
          new FitnessYaml.Read(
              new Fitness(
                  all.fitness().version() + ", " + e.name + " " + house.fitness().version(),
                  joined(house.fitness().systems(), all.fitness().systems()),
                  rules,
                  joined(house.fitness().ways(), all.fitness().ways())),
              agents);
    }
    return all;
  }

  private static <T> List<T> joined(List<T> first, List<T> then) {
    List<T> all = new ArrayList<>(first);
    all.addAll(then);
    return all;
  }

  public List<FitnessRulesView> list() {
    return db.tx(
        s -> {
          List<FitnessRulesView> all = new ArrayList<>();
          all.add(view(SHIPPED, shippedText(), true, ""));
          own(s).forEach(e -> all.add(view(e.name, e.yaml, false, e.madeBy)));
          return all;
        });
  }

  /** Rules by their name. */
  public FitnessRulesView view(String name) {
    return list().stream()
        .filter(r -> r.name().equals(name))
        .findFirst()
        .orElseThrow(() -> ProblemException.missing("fitness", name));
  }

  private static FitnessRulesView view(String name, String yaml, boolean shipped, String by) {
    Fitness f = FitnessYaml.read(yaml).fitness();
    return new FitnessRulesView(
        name,
        f.version(),
        shipped,
        by,
        f.rules().stream()
            .map(
                r ->
                    new FitnessRulesView.RuleView(
                        r.id(),
                        r.code().text(),
                        r.effect().text(),
                        r.when().stream()
                            .map(
                                c ->
                                    c.fact()
                                        + " "
                                        + c.relation().name().toLowerCase(java.util.Locale.ROOT)
                                        + " "
                                        + plain(c.value()))
                            .toList(),
                        r.cause()))
            .toList(),
        f.systems().size());
  }

  /** A whole number without its fraction. */
  private static String plain(Object value) {
    return value instanceof Double d && d == Math.rint(d)
        ? String.valueOf(d.longValue())
        : String.valueOf(value);
  }

  /** Takes rules of the house over, in place of those of that name. */
  public FitnessRulesView add(FitnessRulesAdd asked, String by) {
    String name = asked.name() == null ? "" : asked.name();
    if (!NAME.matcher(name).matches() || name.equals(SHIPPED)) {
      throw ProblemException.invalid(
          "name-malformed",
          "'" + name + "' can't be the name of rules of the house",
          "use up to 63 letters, digits and . _ - that are not '" + SHIPPED + "'");
    }
    FitnessYaml.read(asked.yaml() == null ? "" : asked.yaml());
    return db.tx(
        s -> {
          FitnessRulesEntity e = s.find(FitnessRulesEntity.class, name);
          if (e == null) {
            e = new FitnessRulesEntity();
            e.name = name;
          }
          e.yaml = asked.yaml();
          e.madeBy = by;
          e.madeAt = clock.instant();
          s.merge(e);
          events.tell(s, "assessment", "", "", by + " gave the rules of fitness " + name, null);
          return view(name, e.yaml, false, by);
        });
  }

  public void remove(String name, String by) {
    db.run(
        s -> {
          FitnessRulesEntity e = s.find(FitnessRulesEntity.class, name);
          if (e == null) {
            throw name.equals(SHIPPED)
                ? ProblemException.invalid(
                    "rules-shipped",
                    "the shipped rules can't be removed",
                    "give rules of the house with the same ids in their place")
                : ProblemException.missing("fitness", name);
          }
          s.remove(e);
          events.tell(s, "assessment", "", "", by + " removed the rules of fitness " + name, null);
        });
  }
}
