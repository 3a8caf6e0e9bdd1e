package bargelane.core.word;

import java.util.Arrays;

/**
 * An enum whose constants have a stable word, the form in which they are stored, sent and shown.
 * Code compares constants; only the edges compare words.
 */
public interface Worded {

  /** The stable word, such as {@code backing out}. */
  String word();

  /**
   * The constant of a word.
   *
   * @throws IllegalArgumentException if no constant has it; the message lists those that there are
   */
  static <E extends Enum<E> & Worded> E of(Class<E> type, String word) {
    return Arrays.stream(type.getEnumConstants())
        .filter(e -> e.word().equals(word))
        .findFirst()
        .orElseThrow(
            () ->
                new IllegalArgumentException(
                    "'"
                        + word
                        + "' is none of "
                        + Arrays.stream(type.getEnumConstants()).map(Worded::word).toList()));
  }
}
