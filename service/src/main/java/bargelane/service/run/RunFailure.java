package bargelane.service.run;

import bargelane.core.finding.Remedy;

/** A run can't go on; what it did is backed out. */
public final class RunFailure extends RuntimeException {
  private static final long serialVersionUID = 1;
  private final String code;
  private final transient Remedy remedy;

  public RunFailure(String code, String detail, String advice) {
    this(code, detail, Remedy.advice(advice));
  }

  public RunFailure(String code, String detail, Remedy remedy) {
    super(detail);
    this.code = code;
    this.remedy = remedy;
  }

  public String code() {
    return code;
  }

  public Remedy remedy() {
    return remedy;
  }
}
