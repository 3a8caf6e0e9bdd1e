package bargelane.core.estate;

import bargelane.core.word.Worded;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.Optional;

/** The kinds of things that an estate file has, in the order in which one needs the other. */
public enum Section implements Worded {
  SITES,
  TIMETABLES,
  LABELS,
  LANES,
  WAVES;

  @Override
  public String word() {
    return name().toLowerCase(Locale.ROOT);
  }

  public static Optional<Section> of(String word) {
    return Arrays.stream(values()).filter(s -> s.word().equals(word)).findFirst();
  }

  public static List<String> words() {
    return Arrays.stream(values()).map(Section::word).toList();
  }
}
