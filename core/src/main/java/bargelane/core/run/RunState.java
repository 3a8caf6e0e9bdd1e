package bargelane.core.run;

import bargelane.core.word.Worded;

/** Where a run stands. */
public enum RunState implements Worded {
  RUNNING("running"),
  /** A step failed or the run was given up; the steps that leave things as they were are going. */
  BACKING_OUT("backing out"),
  DONE("done"),
  FAILED("failed");

  private final String word;

  RunState(String word) {
    this.word = word;
  }

  @Override
  public String word() {
    return word;
  }

  /** Whether nothing more is to be done. */
  public boolean over() {
    return this == DONE || this == FAILED;
  }
}
