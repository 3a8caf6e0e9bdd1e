package bargelane.blocks.nbd;

import java.io.IOException;

/** An error that a disk server answered, with the protocol's number. */
public final class NbdException extends IOException {
  private static final long serialVersionUID = 1;
  private final int error;

  public NbdException(String operation, String export, int error, String message) {
    super(operation + " on export " + export + ": " + message + " (error " + error + ")");
    this.error = error;
  }

  /** The protocol's error value (doc/proto.md, "Error values"). */
  public int error() {
    return error;
  }
}
