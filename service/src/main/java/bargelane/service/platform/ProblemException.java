package bargelane.service.platform;

import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import java.util.Arrays;

/** An error for the caller: what is wrong, with what, and what to do next (RFC 9457). */
public final class ProblemException extends RuntimeException {
  private static final long serialVersionUID = 1;
  private final int status;
  private final String code;
  private final transient Remedy remedy;
  private long retryAfter;

  public ProblemException(int status, String code, String detail, String advice) {
    this(status, code, detail, Remedy.advice(advice));
  }

  public ProblemException(int status, String code, String detail, Remedy remedy) {
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
        Arrays.stream(Action.values())
            .filter(a -> a.word().equals(kind + "-list"))
            .findFirst()
            .map(list -> Remedy.of("list them", list))
            .orElse(Remedy.advice("look at the name again")));
  }

  public static ProblemException invalid(String code, String detail, String remedy) {
    return new ProblemException(422, code, detail, remedy);
  }

  public static ProblemException invalid(String code, String detail, Remedy remedy) {
    return new ProblemException(422, code, detail, remedy);
  }

  public static ProblemException notAllowed(String detail, String remedy) {
    return new ProblemException(403, "not-allowed", detail, remedy);
  }

  public static ProblemException conflict(String code, String detail, Remedy remedy) {
    return new ProblemException(409, code, detail, remedy);
  }

  public static ProblemException conflict(String code, String detail, String remedy) {
    return new ProblemException(409, code, detail, remedy);
  }

  /** Says after how many seconds the same may be tried again (RFC 9110, section 10.2.3). */
  public ProblemException after(long seconds) {
    retryAfter = seconds;
    return this;
  }

  /** Seconds after which the same may be tried again; 0 where that is not told. */
  public long retryAfter() {
    return retryAfter;
  }

  public int status() {
    return status;
  }

  public String code() {
    return code;
  }

  public Remedy remedy() {
    return remedy;
  }
}
