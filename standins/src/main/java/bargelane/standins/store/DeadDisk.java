package bargelane.standins.store;

import bargelane.blocks.BlockDevice;
import bargelane.standins.store.StoreState.LayerRecord;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Path;
import java.util.List;
import java.util.Optional;

/** A volume of a platform that is down, read from its files; nothing of the platform is changed. */
public final class DeadDisk extends ReadOnlyDisk {

  private final Layer top;
  private final long size;

  private DeadDisk(Layer top, long size) {
    super("a dead platform's disk");
    this.top = top;
    this.size = size;
  }

  /**
   * Opens a volume.
   *
   * @param store the platform's store directory; its process must not run
   */
  public static DeadDisk open(Path store, String volume) throws IOException {
    StoreState state =
        new ObjectMapper().readValue(store.resolve("store.json").toFile(), StoreState.class);
    return new DeadDisk(
        layer(store, state, state.tops.get(volume)), state.volumes.get(volume).size());
  }

  private static Layer layer(Path store, StoreState state, String id) throws IOException {
    LayerRecord record = state.layers.get(id);
    Optional<Layer> parent =
        record.parent().isEmpty()
            ? Optional.empty()
            : Optional.of(layer(store, state, record.parent()));
    return new Layer(id, store.resolve("layers"), record.size(), parent);
  }

  @Override
  public long size() {
    return size;
  }

  @Override
  public void read(long offset, ByteBuffer into) throws IOException {
    BlockDevice.checkRange(size, offset, into.remaining());
    Volume.readChain(top, offset, into);
  }

  @Override
  public boolean knows(Context context) {
    return false;
  }

  @Override
  public List<Extent> status(Context context, long offset, long length) throws IOException {
    throw new UnsupportedContextException(context);
  }

  @Override
  public void close() throws IOException {
    for (Optional<Layer> layer = Optional.of(top);
        layer.isPresent();
        layer = layer.get().parent()) {
      layer.get().close();
    }
  }
}
