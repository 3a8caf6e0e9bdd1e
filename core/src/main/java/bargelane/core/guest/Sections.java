package bargelane.core.guest;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;

/** The text of a survey by its sections (docs/formats/survey.md). */
final class Sections {

  static final String FORMAT = "format: bargelane/survey/1";

  /** More than any system tells: what is longer is not read. */
  static final int LONGEST = 16 << 20;

  private static final int LONGEST_LINE = 1 << 16;
  private static final Pattern NAME = Pattern.compile("[a-z][a-z-]{0,30}");

  private record Section(List<String> lines, List<String> complaints) {}

  private final Map<String, Section> all = new LinkedHashMap<>();

  private Sections() {}

  static Sections of(String text) throws SurveyException {
    if (text.length() > LONGEST) {
      throw new SurveyException("it is longer than " + (LONGEST >> 20) + " MiB");
    }
    Sections sections = new Sections();
    Section open = null;
    boolean ended = false;
    int number = 0;
    for (String line : (Iterable<String>) text.lines()::iterator) {
      number++;
      if (number == 1) {
        if (!line.equals(FORMAT)) {
          throw new SurveyException("line 1 is not '" + FORMAT + "'");
        }
        continue;
      }
      if (ended || line.length() > LONGEST_LINE) {
        throw new SurveyException(
            "line " + number + (ended ? " comes after the end" : " is longer than 64 KiB"));
      }
      if (line.equals("= end")) {
        ended = true;
      } else if (line.startsWith("= ") && NAME.matcher(line.substring(2)).matches()) {
        open = new Section(new ArrayList<>(), new ArrayList<>());
        if (sections.all.put(line.substring(2), open) != null) {
          throw new SurveyException("line " + number + " begins a section again");
        }
      } else if (open != null && line.startsWith(" ")) {
        open.lines.add(line.substring(1));
      } else if (open != null && line.startsWith("! ")) {
        open.complaints.add(line.substring(2));
      } else {
        throw new SurveyException("line " + number + " is neither a section nor in one");
      }
    }
    if (!ended) {
      throw new SurveyException("it ends in the middle, after line " + number);
    }
    return sections;
  }

  List<String> lines(String name) {
    Section s = all.get(name);
    return s == null ? List.of() : s.lines;
  }

  /** The first line of a section, empty if there is none. */
  String first(String name) {
    List<String> lines = lines(name);
    return lines.isEmpty() ? "" : lines.get(0).strip();
  }

  String line(String name, int index) {
    List<String> lines = lines(name);
    return index < lines.size() ? lines.get(index).strip() : "";
  }

  boolean has(String name) {
    return all.containsKey(name);
  }

  List<String> names() {
    return List.copyOf(all.keySet());
  }

  /** What a section complained about. */
  Optional<String> complaint(String name) {
    Section s = all.get(name);
    return s == null || s.complaints.isEmpty()
        ? Optional.empty()
        : Optional.of(String.join("; ", s.complaints));
  }
}
