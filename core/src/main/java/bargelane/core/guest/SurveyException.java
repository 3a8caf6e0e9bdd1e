package bargelane.core.guest;

/** A text is no survey; the message says what is wrong and in which line. */
public final class SurveyException extends Exception {
  private static final long serialVersionUID = 1;

  public SurveyException(String message) {
    super(message);
  }
}
