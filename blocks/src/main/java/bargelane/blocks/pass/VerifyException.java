package bargelane.blocks.pass;

import java.io.IOException;

/** What was read back from the target is not what was sent. */
public final class VerifyException extends IOException {
  private static final long serialVersionUID = 1;

  public VerifyException(long offset, int length) {
    super(
        "read-back of " + length + " bytes at offset " + offset + " differs from what was written");
  }
}
