package bargelane.blocks.pass;

import java.io.IOException;

/** The source's disk is larger than the replica: it has grown since that was made. */
public final class SizeException extends IOException {
  private static final long serialVersionUID = 1;

  SizeException(long replica, long source) {
    super("the replica has " + replica + " bytes, the source " + source);
  }
}
