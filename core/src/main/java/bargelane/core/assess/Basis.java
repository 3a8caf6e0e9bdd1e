package bargelane.core.assess;

/** What a machine is sized by. */
public enum Basis {
  /** As it is built. */
  CONFIGURED,
  /** As it is used, at a percentile plus headroom. */
  OBSERVED;

  public String text() {
    return name().toLowerCase(java.util.Locale.ROOT);
  }
}
