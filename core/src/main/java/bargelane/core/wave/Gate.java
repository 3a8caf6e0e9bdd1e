package bargelane.core.wave;

import bargelane.core.finding.Finding;
import bargelane.core.word.Worded;
import java.util.List;

/** The eight gates of a move, in their order. */
public enum Gate implements Worded {
  FOUND("found"),
  SIZED("sized"),
  MAPPED("mapped"),
  LADEN("laden"),
  IN_STEP("in step"),
  PROVEN("proven"),
  LANDED("landed"),
  SETTLED("settled");

  private final String word;

  Gate(String word) {
    this.word = word;
  }

  @Override
  public String word() {
    return word;
  }

  /** A gate, open unless something keeps it shut. */
  public record State(Gate gate, List<Finding> shutBy) {
    public boolean open() {
      return shutBy.isEmpty();
    }
  }
}
