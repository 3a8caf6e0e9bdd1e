package bargelane.service.estate;

import bargelane.api.EstateImport;
import bargelane.core.estate.EstatePath;
import bargelane.core.estate.Section;
import bargelane.core.lane.AddressRule;
import bargelane.core.lane.RuleScope;
import bargelane.core.lane.Setting;
import bargelane.core.word.Worded;
import bargelane.service.platform.Json;
import java.io.StringReader;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SortedMap;
import java.util.TreeMap;
import org.yaml.snakeyaml.LoaderOptions;
import org.yaml.snakeyaml.Yaml;
import org.yaml.snakeyaml.error.Mark;
import org.yaml.snakeyaml.error.MarkedYAMLException;
import org.yaml.snakeyaml.error.YAMLException;
import org.yaml.snakeyaml.events.AliasEvent;
import org.yaml.snakeyaml.events.CollectionStartEvent;
import org.yaml.snakeyaml.events.Event;
import org.yaml.snakeyaml.events.NodeEvent;
import org.yaml.snakeyaml.events.ScalarEvent;
import org.yaml.snakeyaml.nodes.MappingNode;
import org.yaml.snakeyaml.nodes.Node;
import org.yaml.snakeyaml.nodes.NodeTuple;
import org.yaml.snakeyaml.nodes.ScalarNode;
import org.yaml.snakeyaml.nodes.SequenceNode;

/**
 * Reads estate files (docs/formats/estate.md): mappings and plain values, each value where it
 * stands. Whatever is wrong is told with its line and column; nothing is guessed.
 */
final class EstateYaml {

  static final String FORMAT = "bargelane/estate/1";

  private static final int LONGEST = EstateImport.LONGEST;

  private static final int MOST_PROBLEMS = 1_000;
  private static final int DEEPEST = 12;

  /** Where something stands in the file; both from 1. */
  record Place(int line, int column) {

    static final Place BEGINNING = new Place(1, 1);

    static Place of(Mark mark) {
      return mark == null ? BEGINNING : new Place(mark.getLine() + 1, mark.getColumn() + 1);
    }
  }

  /** What is wrong, and what to do. */
  record Wrong(Place at, String cause, String advice) {}

  /**
   * What a file says.
   *
   * @param base what it goes back to; empty where it says nothing of it
   * @param places where each value, each thing and each section stands
   */
  record Read(
      String base,
      SortedMap<EstatePath, String> values,
      Map<EstatePath, Place> places,
      List<Wrong> wrong) {

    /** Whether it has a section, be it an empty one. */
    boolean has(Section section) {
      return places.containsKey(EstatePath.of(section.word()));
    }

    /** Where a value stands, or the nearest above it that is in the file. */
    Place place(EstatePath path) {
      for (int steps = path.steps().size(); steps > 0; steps--) {
        Place at = places.get(new EstatePath(path.steps().subList(0, steps)));
        if (at != null) {
          return at;
        }
      }
      return Place.BEGINNING;
    }
  }

  private record Entry(Place at, Node value) {}

  private String base = "";
  private final SortedMap<EstatePath, String> values = new TreeMap<>();
  private final Map<EstatePath, Place> places = new HashMap<>();
  private final List<Wrong> wrong = new ArrayList<>();

  private EstateYaml() {}

  /** Reads a file; never throws for what it says. */
  static Read read(String text) {
    EstateYaml file = new EstateYaml();
    file.all(text == null ? "" : text);
    return new Read(file.base, file.values, file.places, file.wrong);
  }

  private void wrong(Place at, String cause, String advice) {
    if (wrong.size() < MOST_PROBLEMS) {
      wrong.add(new Wrong(at, cause, advice));
    }
  }

  private void all(String text) {
    if (text.length() > LONGEST) {
      wrong(
          Place.BEGINNING,
          "the file has " + text.length() + " characters, and at most " + LONGEST + " are read",
          "split it by sections");
      return;
    }
    Optional<Node> root = root(text);
    if (!wrong.isEmpty()) {
      return;
    }
    if (root.isEmpty()) {
      wrong(Place.BEGINNING, "the file is empty", "begin it with: format: " + FORMAT);
      return;
    }
    Map<String, Entry> top = mapping(root.get(), "the file");
    if (!wrong.isEmpty()) {
      return;
    }
    Entry format = top.remove("format");
    String told = format == null ? "" : text(format.value, "format").orElse("");
    if (!told.equals(FORMAT)) {
      wrong(
          format == null ? Place.BEGINNING : format.at,
          format == null
              ? "the file does not say its format"
              : "the format is '" + told + "', and this service reads " + FORMAT,
          "begin it with: format: " + FORMAT);
      return;
    }
    Entry goesBackTo = top.remove("base");
    if (goesBackTo != null) {
      base = text(goesBackTo.value, "base").orElse("");
    }
    top.forEach(
        (name, entry) ->
            Section.of(name)
                .ifPresentOrElse(
                    section -> section(section, entry),
                    () -> unknown(entry.at, name, "section", Section.words())));
  }

  private Optional<Node> root(String text) {
    LoaderOptions options = new LoaderOptions();
    options.setCodePointLimit(LONGEST);
    options.setNestingDepthLimit(DEEPEST);
    try {
      for (Event e : new Yaml(options).parse(new StringReader(text))) {
        plain(e);
      }
      return wrong.isEmpty()
          ? Optional.ofNullable(new Yaml(options).compose(new StringReader(text)))
          : Optional.empty();
    } catch (MarkedYAMLException e) {
      wrong(Place.of(e.getProblemMark()), "this is not YAML: " + e.getProblem(), "mend it here");
    } catch (YAMLException e) {
      wrong(Place.BEGINNING, "this is not YAML: " + first(e.getMessage()), "mend it");
    }
    return Optional.empty();
  }

  private static String first(String message) {
    return message == null ? "" : message.lines().findFirst().orElse("");
  }

  /** Tells of what would stand for something else: anchors, aliases and tags. */
  private void plain(Event e) {
    String tag = "";
    if (e instanceof ScalarEvent s) {
      tag = s.getTag();
    } else if (e instanceof CollectionStartEvent c) {
      tag = c.getTag();
    }
    boolean anchored = e instanceof NodeEvent n && n.getAnchor() != null;
    if (e instanceof AliasEvent || anchored) {
      wrong(
          Place.of(e.getStartMark()),
          "anchors and aliases are not read",
          "write the value where it is meant");
    } else if (tag != null && !tag.isEmpty()) {
      wrong(Place.of(e.getStartMark()), "tags such as " + tag + " are not read", "leave it out");
    }
  }

  private void unknown(Place at, String name, String what, List<String> there) {
    wrong(at, "'" + name + "' is not a " + what, "there are " + String.join(", ", there) + " here");
  }

  /** The entries of a mapping in their order; of two with one name the first. */
  private Map<String, Entry> mapping(Node node, String what) {
    Map<String, Entry> entries = new LinkedHashMap<>();
    if (!(node instanceof MappingNode mapping)) {
      wrong(
          Place.of(node.getStartMark()),
          what + " is " + shape(node) + ", and a mapping is expected",
          "write it as NAME: VALUE, one a line");
      return entries;
    }
    for (NodeTuple t : mapping.getValue()) {
      Place at = Place.of(t.getKeyNode().getStartMark());
      if (!(t.getKeyNode() instanceof ScalarNode key)) {
        wrong(at, "a name in " + what + " is " + shape(t.getKeyNode()), "write plain names");
        continue;
      }
      Entry before = entries.putIfAbsent(key.getValue(), new Entry(at, t.getValueNode()));
      if (before != null) {
        wrong(
            at,
            "'" + key.getValue() + "' is there already, in line " + before.at.line,
            "leave one of them out");
      }
    }
    return entries;
  }

  private static String shape(Node node) {
    if (node instanceof SequenceNode) {
      return "a list";
    }
    return node instanceof MappingNode
        ? "a mapping"
        : "'" + cut(((ScalarNode) node).getValue()) + "'";
  }

  private static String cut(String text) {
    return text.length() <= 60 ? text : text.substring(0, 60) + "…";
  }

  /** One value as it is written, whatever else YAML would take it for. */
  private Optional<String> text(Node node, String what) {
    if (!(node instanceof ScalarNode scalar)) {
      wrong(
          Place.of(node.getStartMark()),
          what + " is " + shape(node) + ", and one value is expected",
          "write one value");
      return Optional.empty();
    }
    if (scalar.getValue().isBlank() || scalar.isPlain() && scalar.getValue().equals("~")) {
      wrong(Place.of(node.getStartMark()), what + " has no value", "give one, or leave it out");
      return Optional.empty();
    }
    return Optional.of(scalar.getValue().strip());
  }

  private void put(EstatePath path, Place at, String value) {
    values.put(path, value);
    places.put(path, at);
  }

  private void section(Section section, Entry entry) {
    places.put(EstatePath.of(section.word()), entry.at);
    mapping(entry.value, section.word())
        .forEach(
            (name, thing) -> {
              EstatePath path = EstatePath.of(section.word(), name);
              places.put(path, thing.at);
              if (section == Section.LABELS) {
                label(path, thing);
              } else {
                thing(section, path, thing);
              }
            });
  }

  private void thing(Section section, EstatePath path, Entry entry) {
    Map<String, Entry> fields = mapping(entry.value, path.toString());
    Map<String, EstateFields.Kind> plain = EstateFields.of(section);
    fields.forEach(
        (name, field) -> {
          EstatePath at = below(path, name);
          if (plain.containsKey(name)) {
            value(plain.get(name), at, field);
          } else if (section == Section.LANES && name.equals(EstateFields.DECISIONS)) {
            decisions(at, field);
          } else if (section == Section.WAVES && name.equals(EstateFields.MACHINES)) {
            mapping(field.value, at.toString())
                .forEach((m, rank) -> value(EstateFields.Kind.NUMBER, below(at, m), rank));
          } else {
            unknown(field.at, name, "field of " + path, EstateFields.names(section));
          }
        });
    EstateFields.needed(section).stream()
        .filter(n -> !fields.containsKey(n))
        .forEach(n -> wrong(entry.at, path + " has no '" + n + "'", "give it"));
  }

  private static EstatePath below(EstatePath path, String... names) {
    List<String> steps = new ArrayList<>(path.steps());
    steps.addAll(List.of(names));
    return new EstatePath(steps);
  }

  private void value(EstateFields.Kind kind, EstatePath path, Entry entry) {
    Place at = Place.of(entry.value.getStartMark());
    Optional<String> read =
        kind == EstateFields.Kind.NAMES
            ? names(path, entry.value)
            : text(entry.value, path.toString());
    read.ifPresent(
        told -> {
          try {
            put(path, at, EstateFields.canonical(kind, told));
          } catch (IllegalArgumentException e) {
            wrong(at, path + ": " + e.getMessage(), "write it as in docs/formats/estate.md");
          }
        });
  }

  /** Names in their order, as a list or one alone. */
  private Optional<String> names(EstatePath path, Node node) {
    if (!(node instanceof SequenceNode list)) {
      return text(node, path.toString());
    }
    List<String> names = new ArrayList<>();
    list.getValue().forEach(n -> text(n, path.toString()).ifPresent(names::add));
    return names.isEmpty() ? Optional.empty() : Optional.of(String.join(", ", names));
  }

  /** The rules of one label, in their order, as one value. */
  private void label(EstatePath path, Entry entry) {
    if (!(entry.value instanceof SequenceNode list)) {
      wrong(
          Place.of(entry.value.getStartMark()),
          path + " is " + shape(entry.value) + ", and a list of rules is expected",
          "write each as - {value: VALUE, machines: FILTER}");
      return;
    }
    List<List<String>> rules = new ArrayList<>();
    for (Node node : list.getValue()) {
      Map<String, Entry> fields = mapping(node, "a rule of " + path);
      List<String> rule = new ArrayList<>();
      for (String field : EstateFields.OF_RULE) {
        Entry told = fields.remove(field);
        if (told == null) {
          wrong(Place.of(node.getStartMark()), "a rule of " + path + " has no " + field, "give it");
        } else {
          text(told.value, field + " of a rule of " + path).ifPresent(rule::add);
        }
      }
      fields.forEach((n, f) -> unknown(f.at, n, "field of a rule", EstateFields.OF_RULE));
      if (rule.size() == EstateFields.OF_RULE.size()) {
        rules.add(rule);
      }
    }
    if (rules.isEmpty()) {
      if (list.getValue().isEmpty()) {
        wrong(entry.at, path + " has no rules", "give one, or leave the label out");
      }
      return;
    }
    put(below(path, EstateFields.RULES), entry.at, Json.text(rules));
  }

  private void decisions(EstatePath path, Entry entry) {
    mapping(entry.value, path.toString())
        .forEach(
            (word, scoped) -> {
              Optional<RuleScope> scope = word(RuleScope.class, word);
              if (scope.isEmpty()) {
                unknown(
                    scoped.at, word, "kind of thing that a lane decides for", EstateFields.SCOPES);
              } else if (scope.get() == RuleScope.LANE) {
                settings(below(path, word), scoped);
              } else {
                mapping(scoped.value, below(path, word).toString())
                    .forEach((of, settings) -> settings(below(path, word, of), settings));
              }
            });
  }

  private void settings(EstatePath path, Entry entry) {
    mapping(entry.value, path.toString())
        .forEach(
            (word, value) -> {
              Optional<Setting> setting = word(Setting.class, word);
              if (setting.isEmpty()) {
                unknown(
                    value.at,
                    word,
                    "setting",
                    Arrays.stream(Setting.values()).map(Worded::word).toList());
                return;
              }
              EstatePath at = below(path, word);
              text(value.value, at.toString())
                  .ifPresent(
                      told ->
                          put(
                              at,
                              Place.of(value.value.getStartMark()),
                              setting.get() == Setting.ADDRESS
                                  ? AddressRule.read(told).map(AddressRule::text).orElse(told)
                                  : told));
            });
  }

  private static <E extends Enum<E> & Worded> Optional<E> word(Class<E> type, String word) {
    return Arrays.stream(type.getEnumConstants()).filter(e -> e.word().equals(word)).findFirst();
  }
}
