package bargelane.standins;

/**
 * A request that the platform refuses, with the HTTP status and a stable code that its answer
 * carries.
 */
public final class Refusal extends RuntimeException {
  private static final long serialVersionUID = 1;
  private final int status;
  private final String code;

  public Refusal(int status, String code, String message) {
    super(message);
    this.status = status;
    this.code = code;
  }

  /** Something named in a request does not exist. */
  public static Refusal missing(String thing) {
    return new Refusal(404, "missing", "there is no " + thing);
  }

  /** What was asked contradicts the state of things. */
  public static Refusal conflict(String code, String message) {
    return new Refusal(409, code, message);
  }

  public int status() {
    return status;
  }

  public String code() {
    return code;
  }
}
