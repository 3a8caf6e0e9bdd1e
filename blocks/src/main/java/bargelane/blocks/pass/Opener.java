package bargelane.blocks.pass;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDigest;
import java.io.IOException;

/** Opens one more connection to the same device. */
@FunctionalInterface
public interface Opener {

  BlockDevice open() throws IOException;

  /** Opens one to ask for digests, if the device tells them, and else to read. */
  default BlockDevice open(BlockDigest digest) throws IOException {
    return open();
  }
}
