package bargelane.core.lane;

/**
 * One decision of a lane.
 *
 * @param of whom it is for: the id of the machine, wave, network or storage, the label as {@code
 *     key=value}, the role; empty for the lane
 * @param part the card or disk of the machine, from 0; {@link #WHOLE} elsewhere
 */
public record Rule(RuleScope scope, String of, int part, Setting setting, String value) {

  /** No card and no disk. */
  public static final int WHOLE = -1;

  public Rule(RuleScope scope, String of, Setting setting, String value) {
    this(scope, of, WHOLE, setting, value);
  }
}
