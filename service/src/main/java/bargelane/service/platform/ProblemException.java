package bargelane.service.platform;

/** An error for the caller: what is wrong, with what, and what to do next (RFC 9457). */
public final class ProblemException extends RuntimeException {
  private static final long serialVersionUID = 1;
  private final int status;
  private final String code;
  private final String remedy;

  public ProblemException(int status, String code, String detail, String remedy) {
    super(detail);
    this.status = status;
    this.code = code;
    this.remedy = remedy;
  }

  public static ProblemException missing(String kind, String name) {
    return new ProblemException(
        404,
        kind + "-unknown",
        "there is no " + kind + " '" + name + "'",
        "list them: bargelane " + kind + " list");
  }

  public static ProblemException invalid(String code, String detail, String remedy) {
    return new ProblemException(422, code, detail, remedy);
  }

  public static ProblemException conflict(String code, String detail, String remedy) {
    return new ProblemException(409, code, detail, remedy);
  }

  public int status() {
    return status;
  }

  public String code() {
    return code;
  }

  public String remedy() {
    return remedy;
  }
}
