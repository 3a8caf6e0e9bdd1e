package bargelane.blocks.pass;

import bargelane.blocks.BlockDevice;
import java.io.IOException;

/** Opens one more connection to the same device; each worker of a pass has its own. */
@FunctionalInterface
public interface Opener {
  BlockDevice open() throws IOException;
}
