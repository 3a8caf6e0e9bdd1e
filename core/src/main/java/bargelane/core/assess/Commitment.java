package bargelane.core.assess;

import java.util.Optional;

/** For how long machines are ordered beforehand: they are paid for around the clock then. */
public enum Commitment {
  NONE("none"),
  ONE_YEAR("1 year"),
  THREE_YEARS("3 years");

  private final String text;

  Commitment(String text) {
    this.text = text;
  }

  public String text() {
    return text;
  }

  public static Optional<Commitment> of(String text) {
    for (Commitment c : values()) {
      if (c.text.equalsIgnoreCase(text.strip())) {
        return Optional.of(c);
      }
    }
    return Optional.empty();
  }
}
