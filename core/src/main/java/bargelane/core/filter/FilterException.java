package bargelane.core.filter;

/** A filter that can't be read: what is wrong, at which character, and what would be right. */
public final class FilterException extends RuntimeException {
  private static final long serialVersionUID = 1;
  private final int position;
  private final String remedy;

  FilterException(int position, String message, String remedy) {
    super(message);
    this.position = position;
    this.remedy = remedy;
  }

  /** The index of the character that the message is about, from 0; the length for the end. */
  public int position() {
    return position;
  }

  public String remedy() {
    return remedy;
  }
}
