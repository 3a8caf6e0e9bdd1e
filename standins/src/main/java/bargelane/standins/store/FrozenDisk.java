package bargelane.standins.store;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDigest;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.List;
import java.util.concurrent.locks.Lock;

/** A volume as a point holds it. Its layer is merged with no other until this is closed. */
final class FrozenDisk extends ReadOnlyDisk {

  private final Layers layers;
  private final Layer top;
  private final long size;
  private final Lock reading;

  FrozenDisk(Layers layers, Layer top, long size, Lock reading) {
    super("a point");
    this.layers = layers;
    this.top = top;
    this.size = size;
    this.reading = reading;
    layers.pin(top);
  }

  @Override
  public long size() {
    return size;
  }

  @Override
  public void read(long offset, ByteBuffer into) throws IOException {
    BlockDevice.checkRange(size, offset, into.remaining());
    reading.lock();
    try {
      Volume.readChain(top, offset, into);
    } finally {
      reading.unlock();
    }
  }

  @Override
  public boolean tellsDigests() {
    return true;
  }

  @Override
  public byte[][] digests(BlockDigest by, long offset, long length) throws IOException {
    return by.of(this, offset, length);
  }

  @Override
  public boolean knows(Context context) {
    return context == Context.ALLOCATION;
  }

  @Override
  public List<Extent> status(Context context, long offset, long length) throws IOException {
    BlockDevice.checkRange(size, offset, length);
    if (!knows(context)) {
      throw new UnsupportedContextException(context);
    }
    reading.lock();
    try {
      return Volume.allocation(top, size, offset, length);
    } finally {
      reading.unlock();
    }
  }

  @Override
  public void close() {
    layers.unpin(top);
  }
}
