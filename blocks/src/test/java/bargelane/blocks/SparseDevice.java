package bargelane.blocks;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.ArrayList;
import java.util.List;
import java.util.TreeMap;

/** A disk of any size in memory that holds only what was written, in units of 4 KiB. */
public final class SparseDevice implements BlockDevice {

  private static final int UNIT = 4096;

  private static final byte[] ZEROES = new byte[UNIT];

  private final long size;
  private final TreeMap<Long, byte[]> blocks = new TreeMap<>();

  /** What it tells as changed; null while it does not track. */
  public Ranges changed;

  public long bytesRead;

  /** Extents it was made to tell at once, at most. */
  public int mostTold;

  public SparseDevice(long size) {
    this.size = size;
  }

  @Override
  public long size() {
    return size;
  }

  @Override
  public boolean readOnly() {
    return false;
  }

  @Override
  public synchronized void read(long offset, ByteBuffer into) {
    BlockDevice.checkRange(size, offset, into.remaining());
    bytesRead += into.remaining();
    look(offset, into);
  }

  private synchronized void look(long offset, ByteBuffer into) {
    while (into.hasRemaining()) {
      int within = (int) (offset % UNIT);
      int n = Math.min(UNIT - within, into.remaining());
      byte[] block = blocks.get(offset / UNIT);
      into.put(block == null ? new byte[n] : block, block == null ? 0 : within, n);
      offset += n;
    }
  }

  @Override
  public synchronized void write(long offset, ByteBuffer from) {
    BlockDevice.checkRange(size, offset, from.remaining());
    while (from.hasRemaining()) {
      int within = (int) (offset % UNIT);
      int n = Math.min(UNIT - within, from.remaining());
      byte[] unit = blocks.computeIfAbsent(offset / UNIT, k -> new byte[UNIT]);
      from.get(unit, within, n);
      if (java.util.Arrays.equals(unit, ZEROES)) {
        blocks.remove(offset / UNIT);
      }
      offset += n;
    }
  }

  @Override
  public synchronized void writeZeroes(long offset, long length) {
    BlockDevice.checkRange(size, offset, length);
    long end = offset + length;
    while (offset < end) {
      int within = (int) (offset % UNIT);
      int n = (int) Math.min(UNIT - within, end - offset);
      byte[] block = blocks.get(offset / UNIT);
      if (block != null) {
        java.util.Arrays.fill(block, within, within + n, (byte) 0);
      }
      if (n == UNIT) {
        blocks.remove(offset / UNIT);
      }
      offset += n;
    }
  }

  @Override
  public void flush() {}

  @Override
  public boolean knows(Context context) {
    return context == Context.ALLOCATION || changed != null;
  }

  @Override
  public synchronized List<Extent> status(Context context, long offset, long length)
      throws IOException {
    BlockDevice.checkRange(size, offset, length);
    Ranges set = new Ranges();
    if (context == Context.CHANGED) {
      set.addAll(changed.within(offset, offset + length));
    } else {
      for (long block :
          blocks.subMap(offset / UNIT, (offset + length + UNIT - 1) / UNIT).keySet()) {
        set.add(Math.max(offset, block * UNIT), Math.min(offset + length, (block + 1) * UNIT));
      }
    }
    List<Extent> extents = new ArrayList<>();
    long at = offset;
    for (Ranges.Range r : set.list()) {
      if (r.start() > at) {
        extents.add(new Extent(at, r.start() - at, false));
      }
      extents.add(new Extent(r.start(), r.length(), true));
      at = r.end();
    }
    if (at < offset + length) {
      extents.add(new Extent(at, offset + length - at, false));
    }
    mostTold = Math.max(mostTold, extents.size());
    return extents;
  }

  /** Bytes that are held. */
  public synchronized long held() {
    return (long) blocks.size() * UNIT;
  }

  /** Whether both hold the same. */
  public synchronized boolean sameAs(SparseDevice other) {
    ByteBuffer mine = ByteBuffer.allocate(UNIT);
    ByteBuffer its = ByteBuffer.allocate(UNIT);
    java.util.Set<Long> all = new java.util.TreeSet<>(blocks.keySet());
    all.addAll(other.blocks.keySet());
    for (long block : all) {
      int n = (int) Math.min(UNIT, size - block * UNIT);
      look(block * UNIT, mine.clear().limit(n));
      other.look(block * UNIT, its.clear().limit(n));
      if (!mine.flip().equals(its.flip())) {
        return false;
      }
    }
    return true;
  }

  @Override
  public void close() {}
}
