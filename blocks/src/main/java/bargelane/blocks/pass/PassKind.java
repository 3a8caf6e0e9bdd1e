package bargelane.blocks.pass;

/** How a pass finds what to ship. */
public enum PassKind {
  /** The replica is blank: everything the source has allocated. */
  FULL,
  /**
   * What the source tracked as changed since the replica's marker, and what may differ for other
   * reasons.
   */
  DELTA,
  /** No tracking is to be had: every block is compared, by digest where the replica's is known. */
  COMPARE,
  /** Nothing is written: which ranges differ from a digest map. */
  TALLY
}
