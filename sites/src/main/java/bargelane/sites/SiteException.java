package bargelane.sites;

/**
 * A call to a site failed, in one of three ways. The code is stable; the message names thing and
 * cause.
 */
public final class SiteException extends RuntimeException {
  private static final long serialVersionUID = 1;

  /** The code of a call that found no turn at a site that works. */
  public static final String BUSY = "site-busy";

  /** The code of a volume that is not opened to be written, since it is through another export. */
  public static final String IN_USE = "in-use";

  /** What a failure means for the one who asked. */
  public enum Kind {
    /** The same call may succeed later: the site is away or busy. */
    MAY_PASS,
    /** The same call will fail again until somebody changes something. */
    FINAL,
    /** The site can't tell what changed since a marker: compare instead. */
    MARKER_LOST
  }

  private final Kind kind;
  private final String code;

  public SiteException(Kind kind, String code, String message, Throwable cause) {
    super(message, cause);
    this.kind = kind;
    this.code = code;
  }

  public Kind kind() {
    return kind;
  }

  public String code() {
    return code;
  }
}
