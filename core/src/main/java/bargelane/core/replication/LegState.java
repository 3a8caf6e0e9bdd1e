package bargelane.core.replication;

import bargelane.core.word.Worded;

/** Where a leg of replication stands. */
public enum LegState implements Worded {
  /** Its passes begin as the timetable says. */
  OPEN("open"),
  /** No pass begins until it is opened again. */
  PAUSED("paused"),
  CLOSED("closed");

  private final String word;

  LegState(String word) {
    this.word = word;
  }

  @Override
  public String word() {
    return word;
  }
}
