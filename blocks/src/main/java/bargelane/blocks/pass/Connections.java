package bargelane.blocks.pass;

import bargelane.blocks.BlockDevice;
import java.io.Closeable;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;

/** Connections to one device, by number, each opened when it is first asked for. */
final class Connections implements Closeable {

  private final Opener opener;
  private final List<BlockDevice> open = new ArrayList<>();

  Connections(Opener opener) {
    this.opener = opener;
  }

  /**
   * @param number of those that are open already, or the next one's or a later one's
   */
  synchronized BlockDevice get(int number) throws IOException {
    while (open.size() <= number) {
      open.add(opener.open());
    }
    return open.get(number);
  }

  synchronized List<BlockDevice> open() {
    return List.copyOf(open);
  }

  @Override
  public synchronized void close() throws IOException {
    IOException failure = null;
    for (BlockDevice device : open) {
      try {
        device.close();
      } catch (IOException e) {
        failure = e;
      }
    }
    if (failure != null) {
      throw failure;
    }
  }
}
