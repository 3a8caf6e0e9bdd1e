package bargelane.core.replication;

import bargelane.core.word.Worded;

/** Where a pass stands. */
public enum PassState implements Worded {
  /** Recorded; no tug may have it yet. */
  PREPARED("prepared"),
  /** Offered to tugs. */
  READY("ready"),
  LEASED("leased"),
  /** Every disk arrived; its point is not recorded yet. */
  SHIPPED("shipped"),
  COMPLETE("complete"),
  FAILED("failed");

  private final String word;

  PassState(String word) {
    this.word = word;
  }

  @Override
  public String word() {
    return word;
  }
}
