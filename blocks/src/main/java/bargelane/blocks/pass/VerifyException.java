package bargelane.blocks.pass;

import java.io.IOException;

/** What the target holds is not what was sent. */
public final class VerifyException extends IOException {
  private static final long serialVersionUID = 1;

  public VerifyException(long offset, long length) {
    super(
        "what the target holds in "
            + length
            + " bytes at offset "
            + offset
            + " differs from what was written");
  }
}
