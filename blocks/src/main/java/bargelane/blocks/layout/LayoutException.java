package bargelane.blocks.layout;

import java.io.IOException;

/** The bytes of a disk do not hold the structure that was looked for. */
public final class LayoutException extends IOException {
  private static final long serialVersionUID = 1;

  public LayoutException(String message) {
    super(message);
  }
}
