package bargelane.core.replication;

import bargelane.core.word.Worded;

/** Which way a leg goes on its lane. */
public enum Direction implements Worded {
  /** From where the lane begins. */
  OUT("out"),
  BACK("back");

  private final String word;

  Direction(String word) {
    this.word = word;
  }

  @Override
  public String word() {
    return word;
  }
}
