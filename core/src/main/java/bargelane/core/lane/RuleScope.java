package bargelane.core.lane;

import bargelane.core.word.Worded;

/** What a rule of a lane is for, the most specific first: of two rules the earlier one counts. */
public enum RuleScope implements Worded {
  CARD("card", "the card"),
  DISK("disk", "the disk"),
  ROLE("role", "the role of the disk"),
  MACHINE("machine", "the machine"),
  WAVE("wave", "the wave"),
  LABEL("label", "a label"),
  NETWORK("network", "the network"),
  STORAGE("storage", "the storage"),
  LANE("lane", "the lane");

  private final String word;
  private final String said;

  RuleScope(String word, String said) {
    this.word = word;
    this.said = said;
  }

  @Override
  public String word() {
    return word;
  }

  /** As it is named in a sentence. */
  public String said() {
    return said;
  }
}
