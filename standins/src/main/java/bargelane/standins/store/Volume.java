package bargelane.standins.store;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDigest;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.function.IntPredicate;

/**
 * A disk of the platform: a chain of layers, the newest one written to. Before a block is
 * overwritten, each snapshot that still needs the old bytes gets them (copy before write); each
 * marker notes the block.
 */
public final class Volume implements BlockDevice {

  private static final int BLOCK = Layer.BLOCK;

  private final VolumeStore store;
  private volatile VolumeRecord record;
  private volatile Layer top;
  private final List<Snapshot> snapshots = new CopyOnWriteArrayList<>();
  private final Map<String, Marker> markers = new ConcurrentHashMap<>();

  Volume(VolumeStore store, VolumeRecord record, Layer top) {
    this.store = store;
    this.record = record;
    this.top = top;
  }

  public VolumeRecord record() {
    return record;
  }

  void record(VolumeRecord renewed) {
    record = renewed;
  }

  Layer top() {
    return top;
  }

  void top(Layer layer) {
    top = layer;
  }

  List<Snapshot> snapshots() {
    return snapshots;
  }

  /** Markers by name. */
  public Map<String, Marker> markers() {
    return markers;
  }

  @Override
  public long size() {
    return record.size();
  }

  @Override
  public boolean readOnly() {
    return false;
  }

  @Override
  public void read(long offset, ByteBuffer into) throws IOException {
    BlockDevice.checkRange(size(), offset, into.remaining());
    store.instant().readLock().lock();
    try {
      readChain(top, offset, into);
    } finally {
      store.instant().readLock().unlock();
    }
  }

  /** Reads through a chain of layers, joining runs of blocks that one layer holds. */
  static void readChain(Layer top, long offset, ByteBuffer into) throws IOException {
    int limit = into.limit();
    while (into.position() < limit) {
      int block = (int) (offset / BLOCK);
      Layer holder = holder(top, block);
      long end = (long) (block + 1) * BLOCK;
      while (end - offset < limit - into.position()
          && holder(top, (int) (end / BLOCK)) == holder
          && sameState(holder, block, (int) (end / BLOCK))) {
        end += BLOCK;
      }
      int n = (int) Math.min(end - offset, limit - into.position());
      if (holder == null || holder.state(block) == BlockMap.ZERO) {
        into.put(new byte[n]);
      } else {
        into.limit(into.position() + n);
        holder.read(offset, into);
        into.limit(limit);
      }
      offset += n;
    }
  }

  private static boolean sameState(Layer holder, int a, int b) {
    return holder == null || holder.state(a) == holder.state(b);
  }

  /** The newest layer that holds the block, or null if none does. */
  static Layer holder(Layer top, int block) {
    for (Layer layer = top; layer != null; layer = layer.parent().orElse(null)) {
      if (layer.state(block) != BlockMap.ABSENT) {
        return layer;
      }
    }
    return null;
  }

  @Override
  public void write(long offset, ByteBuffer from) throws IOException {
    BlockDevice.checkRange(size(), offset, from.remaining());
    store.instant().readLock().lock();
    try {
      synchronized (this) {
        while (from.hasRemaining()) {
          int block = (int) (offset / BLOCK);
          int within = (int) (offset % BLOCK);
          int n = Math.min(BLOCK - within, from.remaining());
          beforeWrite(block);
          boolean held = top.state(block) == BlockMap.DATA;
          if (!held) {
            store.room().reserve(this);
          }
          if (!held && n < BLOCK) {
            ByteBuffer whole =
                ByteBuffer.allocate((int) Math.min(BLOCK, size() - (long) block * BLOCK));
            readChain(top, (long) block * BLOCK, whole);
            whole.position(within);
            whole.put(from.slice(from.position(), n)).rewind();
            top.write((long) block * BLOCK, whole);
          } else {
            top.write(offset, from.slice(from.position(), n));
          }
          if (!held) {
            top.state(block, BlockMap.DATA);
          }
          from.position(from.position() + n);
          offset += n;
        }
      }
    } finally {
      store.instant().readLock().unlock();
    }
  }

  @Override
  public void writeZeroes(long offset, long length) throws IOException {
    BlockDevice.checkRange(size(), offset, length);
    long end = offset + length;
    while (offset < end) {
      int block = (int) (offset / BLOCK);
      long blockEnd = Math.min((long) (block + 1) * BLOCK, size());
      if (offset % BLOCK == 0 && blockEnd <= end) {
        store.instant().readLock().lock();
        try {
          synchronized (this) {
            beforeWrite(block);
            top.state(block, BlockMap.ZERO);
          }
        } finally {
          store.instant().readLock().unlock();
        }
        offset = blockEnd;
      } else {
        int n = (int) (Math.min(blockEnd, end) - offset);
        write(offset, ByteBuffer.allocate(n));
        offset += n;
      }
    }
  }

  private void beforeWrite(int block) {
    for (Snapshot snapshot : snapshots) {
      snapshot.keep(block);
    }
    for (Marker marker : markers.values()) {
      marker.note((long) block * BLOCK);
    }
  }

  @Override
  public void flush() throws IOException {
    top.flush();
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
    BlockDevice.checkRange(size(), offset, length);
    if (context != Context.ALLOCATION) {
      throw new UnsupportedContextException(context);
    }
    return allocation(top, size(), offset, length);
  }

  /** Which ranges of a chain of layers hold data. */
  static List<Extent> allocation(Layer top, long size, long offset, long length) {
    return extents(
        size,
        offset,
        length,
        block -> {
          Layer holder = holder(top, block);
          return holder != null && holder.state(block) == BlockMap.DATA;
        },
        block -> absent8(top, block));
  }

  /** Whether no layer of the chain holds any of eight blocks from one on. */
  static boolean absent8(Layer top, int block) {
    for (Layer layer = top; layer != null; layer = layer.parent().orElse(null)) {
      if (!layer.absent8(block)) {
        return false;
      }
    }
    return true;
  }

  /**
   * Extents of a range from a yes or no for each block, runs joined.
   *
   * @param none8 whether it is known at once to be no for eight blocks from one on
   */
  static List<Extent> extents(
      long size, long offset, long length, IntPredicate set, IntPredicate none8) {
    List<Extent> extents = new ArrayList<>();
    long end = offset + length;
    long from = offset;
    while (from < end) {
      boolean value = set.test((int) (from / BLOCK));
      long to = Math.min((from / BLOCK + 1) * BLOCK, size);
      while (to < end && set.test((int) (to / BLOCK)) == value) {
        boolean skip = !value && none8.test((int) (to / BLOCK));
        to = Math.min(to + (skip ? 8L * BLOCK : BLOCK), size);
      }
      to = Math.min(to, end);
      extents.add(new Extent(from, to - from, value));
      from = to;
    }
    return extents;
  }

  /** Closing a handle leaves the volume: others may hold it. */
  @Override
  public void close() {}
}
