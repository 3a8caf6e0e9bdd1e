package bargelane.standins;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDigest;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.List;
import java.util.TreeMap;

/**
 * A device that holds writes in memory until they are flushed, so that a killed platform loses
 * them, as one does whose disk server is killed or whose host loses its power. Memory grows with
 * what is written between two flushes.
 */
final class Unflushed implements BlockDevice {

  private static final int UNIT = 64 * 1024;

  private final BlockDevice inner;
  private final TreeMap<Long, byte[]> held = new TreeMap<>();

  Unflushed(BlockDevice inner) {
    this.inner = inner;
  }

  @Override
  public long size() {
    return inner.size();
  }

  @Override
  public boolean readOnly() {
    return inner.readOnly();
  }

  private byte[] unit(long at) throws IOException {
    byte[] unit = held.get(at);
    if (unit == null) {
      ByteBuffer bytes = ByteBuffer.allocate((int) Math.min(UNIT, size() - at));
      inner.read(at, bytes);
      unit = bytes.array();
    }
    return unit;
  }

  @Override
  public synchronized void read(long offset, ByteBuffer into) throws IOException {
    BlockDevice.checkRange(size(), offset, into.remaining());
    while (into.hasRemaining()) {
      long at = offset / UNIT * UNIT;
      byte[] unit = unit(at);
      int from = (int) (offset - at);
      int n = Math.min(into.remaining(), unit.length - from);
      into.put(unit, from, n);
      offset += n;
    }
  }

  @Override
  public synchronized void write(long offset, ByteBuffer from) throws IOException {
    BlockDevice.checkRange(size(), offset, from.remaining());
    while (from.hasRemaining()) {
      long at = offset / UNIT * UNIT;
      byte[] unit = unit(at);
      int begin = (int) (offset - at);
      int n = Math.min(from.remaining(), unit.length - begin);
      from.get(unit, begin, n);
      held.put(at, unit);
      offset += n;
    }
  }

  /** What makes no data need not be held. */
  @Override
  public synchronized void writeZeroes(long offset, long length) throws IOException {
    flush();
    inner.writeZeroes(offset, length);
  }

  @Override
  public synchronized void flush() throws IOException {
    for (var e : held.entrySet()) {
      inner.write(e.getKey(), ByteBuffer.wrap(e.getValue()));
    }
    held.clear();
    inner.flush();
  }

  @Override
  public boolean tellsDigests() {
    return inner.tellsDigests();
  }

  @Override
  public byte[][] digests(BlockDigest by, long offset, long length) throws IOException {
    return by.of(this, offset, length);
  }

  @Override
  public boolean knows(Context context) {
    return inner.knows(context);
  }

  @Override
  public List<Extent> status(Context context, long offset, long length) throws IOException {
    return inner.status(context, offset, length);
  }

  @Override
  public synchronized void close() throws IOException {
    flush();
    inner.close();
  }
}
