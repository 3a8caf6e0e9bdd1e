package bargelane.blocks.pass;

import bargelane.blocks.Ranges;
import java.io.IOException;

/** Hears from a pass while it runs. Throwing from either method stops the pass. */
public interface PassWatcher {

  /**
   * Called once, before the first write, with everything that the pass may write; must be on stable
   * storage when it returns. {@code anywhere} says that the pass can't tell beforehand.
   */
  void intent(Ranges ranges, boolean anywhere) throws IOException;

  /** Called after each chunk. */
  void progress(PassProgress progress) throws IOException;
}
