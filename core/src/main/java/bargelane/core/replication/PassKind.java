package bargelane.core.replication;

import bargelane.core.word.Worded;

/** What a pass looks at. */
public enum PassKind implements Worded {
  /** Everything, to replicas that hold nothing. */
  FULL("full"),
  /** What the source tracked as changed. */
  DELTA("delta"),
  /** Everything, by digest: the source does not know what changed. */
  COMPARE("compare"),
  /** What differs, without writing. */
  TALLY("tally");

  private final String word;

  PassKind(String word) {
    this.word = word;
  }

  @Override
  public String word() {
    return word;
  }

  /**
   * The kind of a tow's next pass.
   *
   * @param tracked whether the source still knows what changed since the leg's marker
   * @param blank whether no replica was written to yet
   */
  public static PassKind next(boolean tracked, boolean blank) {
    return tracked ? DELTA : blank ? FULL : COMPARE;
  }
}
