package bargelane.blocks.ovf;

import java.io.IOException;

/**
 * A package is not what DSP0243 says, or holds what we refuse; the message names thing and cause.
 */
public final class OvfException extends IOException {
  private static final long serialVersionUID = 1;

  public OvfException(String message) {
    super(message);
  }

  public OvfException(String message, Throwable cause) {
    super(message, cause);
  }
}
