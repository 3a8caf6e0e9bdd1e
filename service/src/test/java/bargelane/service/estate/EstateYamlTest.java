package bargelane.service.estate;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.EstateImport;
import bargelane.core.estate.EstatePath;
import bargelane.core.lane.RuleScope;
import bargelane.core.lane.Setting;
import bargelane.core.site.SiteKind;
import bargelane.core.word.Worded;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import java.util.Set;
import java.util.TreeSet;
import org.junit.jupiter.api.Test;

class EstateYamlTest {

  private static final String WHOLE =
      """
      format: bargelane/estate/1
      base: base-1
      sites:
        mill:
          kind: standin
          address: http://127.0.0.1:1
          credentials: [mill, spare]
          schedule: 30 2 * * *
      timetables:
        often:
          every: 90s
          rpo: 1h
          keep: 6
          quiesce: false
      labels:
        tier:
        - value: gold
          machines: name has lending
        - {value: 'yes', machines: "os = 'Debian'"}
      lanes:
        over:
          from: mill
          to: marsh
          decisions:
            lane: {zone: tide-1}
            label:
              tier=gold: {class: reed}
            card:
              lending-db/0: {address: 010.20.1.7-10.20.1.9}
            machine:
              lending-db: {boot-protection: on, name: db/1}
      waves:
        lending:
          lane: over
          timetable: often
          machines: {lending-db: 1, 'lending:app': 2}
      """;

  private static List<String> wrong(String text) {
    return EstateYaml.read(text).wrong().stream()
        .map(w -> w.at().line() + ":" + w.at().column() + " " + w.cause())
        .toList();
  }

  private static String with(String before, String after) {
    assertTrue(WHOLE.contains(before), before);
    return WHOLE.replace(before, after);
  }

  @Test
  void whatIsReadIsWrittenAndReadTheSame() {
    EstateYaml.Read read = EstateYaml.read(WHOLE);
    assertEquals(List.of(), read.wrong());
    assertEquals("base-1", read.base());
    assertEquals("1m30s", read.values().get(EstatePath.of("timetables", "often", "every")));
    assertEquals("mill, spare", read.values().get(EstatePath.of("sites", "mill", "credentials")));
    assertEquals(
        "on",
        read.values()
            .get(
                EstatePath.of(
                    "lanes", "over", "decisions", "machine", "lending-db", "boot-protection")),
        "a value is what is written, whatever else YAML takes it for");
    String written = EstateFields.write(read.base(), read.values());
    EstateYaml.Read again = EstateYaml.read(written);
    assertEquals(List.of(), again.wrong(), written);
    assertEquals(read.values(), again.values());
    assertEquals(read.base(), again.base());
    assertEquals(written, EstateFields.write(again.base(), again.values()));
  }

  /**
   * What is told of a file that has something else instead of what it should.
   *
   * @param at what stands at the place that is told
   */
  private static void told(String before, String after, String at, String... causes) {
    String text = with(before, after);
    int from = text.indexOf(at);
    int line = (int) text.substring(0, from).chars().filter(c -> c == '\n').count() + 1;
    int column = from - text.lastIndexOf('\n', from);
    assertEquals(
        Arrays.stream(causes).map(c -> line + ":" + column + " " + c).toList(), wrong(text));
  }

  @Test
  void whatIsWrongIsToldWithItsLineAndColumn() {
    told(
        "every: 90s",
        "every: soon",
        "soon",
        "timetables/often/every: 'soon' is not a duration: write 15s, 5m, 1h30m or 7d");
    told("keep: 6", "keep: 6.5", "6.5", "timetables/often/keep: '6.5' is not a whole number");
    told("false", "no", "no\nlabels", "timetables/often/quiesce: 'no' is neither true nor false");
    told("timetables:\n", "timetabels:\n", "timetabels", "'timetabels' is not a section");
    told("schedule:", "scan:", "scan", "'scan' is not a field of sites/mill");
    told("    keep: 6\n", "", "often:", "timetables/often has no 'keep'");
    told(
        "zone: tide-1",
        "zone: [tide-1]",
        "[tide-1]",
        "lanes/over/decisions/lane/zone is a list, and one value is expected");
    told("zone: tide-1", "zones: tide-1", "zones", "'zones' is not a setting");
    told("zone: tide-1", "zone: ''", "''", "lanes/over/decisions/lane/zone has no value");
    told(
        "      label:\n",
        "      labels:\n",
        "labels:\n        tier=",
        "'labels' is not a kind of thing that a lane decides for");
    told(
        "  tier:\n",
        "  more: gold\n  tier:\n",
        "gold\n  tier",
        "labels/more is 'gold', and a list of rules is expected");
    told(
        "- value: gold\n    machines: name has lending\n",
        "- value: gold\n",
        "value: gold",
        "a rule of labels/tier has no machines");
    told(
        "    every: 90s\n",
        "    every: 90s\n    every: 80s\n",
        "every: 80s",
        "'every' is there already, in line 11");
    told("format: bargelane/estate/1\n", "", "base", "the file does not say its format");
    told(
        "estate/1",
        "estate/2",
        "format",
        "the format is 'bargelane/estate/2', and this service reads bargelane/estate/1");
    assertEquals(List.of("1:1 the file is empty"), wrong("# nothing\n"));
    assertEquals(
        3,
        wrong(WHOLE.replace("90s", "soon").replace("keep: 6", "keep: x").replace("over\n", "[]\n"))
            .size(),
        "all of it at once");
  }

  @Test
  void whatStandsForSomethingElseIsNotRead() {
    StringBuilder bomb = new StringBuilder("format: bargelane/estate/1\na: &a [x, x]\n");
    for (char c = 'b'; c < 'z'; c++) {
      char before = (char) (c - 1);
      bomb.append(c + ": &" + c + " [*" + before + ", *" + before + ", *" + before + "]\n");
    }
    assertTrue(wrong(bomb.toString()).get(0).startsWith("2:4 anchors and aliases"));
    told(
        "address: http",
        "address: !!java.net.URL http",
        "!!java",
        "tags such as tag:yaml.org,2002:java.net.URL are not read");
    assertTrue(wrong("format: " + "[".repeat(50_000)).get(0).contains("not YAML"));
    assertTrue(wrong(WHOLE + "---\n" + WHOLE).get(0).contains("not YAML"));
    assertTrue(wrong("format: \u0000").get(0).contains("not YAML"));
    assertTrue(
        wrong("# " + "x".repeat(EstateImport.LONGEST)).get(0).contains("at most 4194304 are read"));
  }

  /** Files that a tool or a slip has spoilt: told with a place that is in the file. */
  @Test
  void nothingThatIsReadIsAFailure() {
    Random random = new Random(7);
    List<String> bits =
        List.of(":", "  ", "- ", "\n", "{", "}", "'", "\"", "\t", "*x", "&x", "!", "?", "|", "0");
    int sound = 0;
    for (int round = 0; round < 3_000; round++) {
      StringBuilder text = new StringBuilder(WHOLE);
      for (int i = 0; i < 1 + random.nextInt(3); i++) {
        int at = random.nextInt(text.length());
        switch (random.nextInt(3)) {
          case 0 -> text.deleteCharAt(at);
          case 1 -> text.insert(at, bits.get(random.nextInt(bits.size())));
          default -> text.setLength(Math.max(1, at));
        }
      }
      String spoilt = text.toString();
      EstateYaml.Read read = EstateYaml.read(spoilt);
      long lines = spoilt.lines().count() + 1;
      for (EstateYaml.Wrong w : read.wrong()) {
        assertTrue(w.at().line() >= 1 && w.at().line() <= lines, spoilt);
        assertTrue(w.at().column() >= 1, spoilt);
      }
      if (read.wrong().isEmpty()) {
        sound++;
        assertEquals(
            read.values(),
            EstateYaml.read(EstateFields.write(read.base(), read.values())).values(),
            spoilt);
      }
    }
    assertTrue(sound > 100, sound + " were sound all the same");
  }

  /** What editors go by says the same as what is read. */
  @Test
  void theSchemaHasTheSameFields() throws IOException {
    JsonNode schema;
    try (InputStream in = EstateImport.class.getResourceAsStream("estate.schema.json")) {
      schema = new ObjectMapper().readTree(in);
    }
    assertEquals(
        schema,
        new ObjectMapper()
            .readTree(Files.readString(Path.of("../docs/formats/estate.schema.json"))));
    JsonNode sections = schema.path("properties");
    for (bargelane.core.estate.Section section : bargelane.core.estate.Section.values()) {
      if (section != bargelane.core.estate.Section.LABELS) {
        JsonNode thing = sections.path(section.word()).path("additionalProperties");
        assertEquals(new TreeSet<>(EstateFields.names(section)), names(thing.path("properties")));
        assertEquals(EstateFields.needed(section), list(thing.path("required")));
      }
    }
    assertEquals(
        Arrays.stream(SiteKind.values()).map(Worded::word).toList(),
        list(
            sections
                .path("sites")
                .path("additionalProperties")
                .path("properties")
                .path("kind")
                .path("enum")));
    JsonNode decisions =
        sections
            .path("lanes")
            .path("additionalProperties")
            .path("properties")
            .path("decisions")
            .path("properties");
    assertEquals(new TreeSet<>(EstateFields.SCOPES), names(decisions));
    for (RuleScope scope : RuleScope.values()) {
      JsonNode of = decisions.path(scope.word());
      JsonNode settings =
          (scope == RuleScope.LANE ? of : of.path("additionalProperties")).path("properties");
      Set<String> there = new TreeSet<>();
      for (Setting setting : Setting.values()) {
        if (setting.scopes().contains(scope)) {
          there.add(setting.word());
        }
      }
      assertEquals(there, names(settings), scope.word());
    }
  }

  private static Set<String> names(JsonNode of) {
    Set<String> names = new TreeSet<>();
    of.fieldNames().forEachRemaining(names::add);
    return names;
  }

  private static List<String> list(JsonNode of) {
    List<String> all = new ArrayList<>();
    of.forEach(x -> all.add(x.asText()));
    return all;
  }
}
