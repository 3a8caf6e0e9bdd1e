package bargelane.core.replication;

import bargelane.core.word.Worded;

/**
 * How what a pass wrote was verified, always after it was flushed; the weakest way of all disks.
 */
public enum Verification implements Worded {
  NONE("none"),
  /** It was read back over the export and digested here. */
  READ_BACK("read-back"),
  /** The target's storage digested what it holds. */
  AT_TARGET("at-target");

  private final String word;

  Verification(String word) {
    this.word = word;
  }

  @Override
  public String word() {
    return word;
  }
}
