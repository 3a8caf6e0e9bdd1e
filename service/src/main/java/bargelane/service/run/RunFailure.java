package bargelane.service.run;

/** A run can't go on; what it did is backed out. */
public final class RunFailure extends RuntimeException {
  private static final long serialVersionUID = 1;
  private final String code;
  private final String remedy;

  public RunFailure(String code, String detail, String remedy) {
    super(detail);
    this.code = code;
    this.remedy = remedy;
  }

  public String code() {
    return code;
  }

  public String remedy() {
    return remedy;
  }
}
