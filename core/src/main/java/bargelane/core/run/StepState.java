package bargelane.core.run;

import bargelane.core.word.Worded;

/** Where one step of a run stands. */
public enum StepState implements Worded {
  WAITING("waiting"),
  RUNNING("running"),
  DONE("done"),
  FAILED("failed");

  private final String word;

  StepState(String word) {
    this.word = word;
  }

  @Override
  public String word() {
    return word;
  }
}
