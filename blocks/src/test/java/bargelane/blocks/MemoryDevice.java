package bargelane.blocks;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * A disk in memory whose allocation and changes are told in units of 64 KiB, as a platform would.
 */
public final class MemoryDevice implements BlockDevice {

  private static final int UNIT = 64 * 1024;

  public final byte[] bytes;
  public Optional<Ranges> changed = Optional.empty();
  public long bytesRead;
  public long bytesWritten;

  /** Writes fail once this many bytes were written. */
  public long failAfter = Long.MAX_VALUE;

  /** Reads fail once this many bytes were read. */
  public long failsReadAfter = Long.MAX_VALUE;

  /** Whether it tells digests; reading for them is not counted. */
  public boolean tellsDigests;

  public int digestsTold;

  /** What is written here is silently lost. */
  public long forgets = -1;

  public MemoryDevice(int size) {
    bytes = new byte[size];
  }

  @Override
  public long size() {
    return bytes.length;
  }

  @Override
  public boolean readOnly() {
    return false;
  }

  @Override
  public synchronized void read(long offset, ByteBuffer into) throws IOException {
    BlockDevice.checkRange(size(), offset, into.remaining());
    if (bytesRead + into.remaining() > failsReadAfter) {
      throw new IOException("cut");
    }
    bytesRead += into.remaining();
    into.put(bytes, (int) offset, into.remaining());
  }

  @Override
  public synchronized void write(long offset, ByteBuffer from) throws IOException {
    BlockDevice.checkRange(size(), offset, from.remaining());
    if (bytesWritten + from.remaining() > failAfter) {
      throw new NoSpaceException("the memory device is full");
    }
    bytesWritten += from.remaining();
    boolean lost = forgets >= offset && forgets < offset + from.remaining();
    byte kept = lost ? bytes[(int) forgets] : 0;
    from.get(bytes, (int) offset, from.remaining());
    if (lost) {
      bytes[(int) forgets] = kept;
    }
  }

  @Override
  public synchronized void writeZeroes(long offset, long length) {
    BlockDevice.checkRange(size(), offset, length);
    java.util.Arrays.fill(bytes, (int) offset, (int) (offset + length), (byte) 0);
  }

  @Override
  public void flush() {}

  @Override
  public boolean tellsDigests() {
    return tellsDigests;
  }

  @Override
  public synchronized byte[][] digests(BlockDigest by, long offset, long length) {
    digestsTold += BlockDigest.blocks(length);
    return by.of(ByteBuffer.wrap(bytes, (int) offset, (int) length));
  }

  @Override
  public boolean knows(Context context) {
    return context == Context.ALLOCATION || changed.isPresent();
  }

  @Override
  public List<Extent> status(Context context, long offset, long length) throws IOException {
    BlockDevice.checkRange(size(), offset, length);
    if (!knows(context)) {
      throw new UnsupportedContextException(context);
    }
    List<Extent> extents = new ArrayList<>();
    for (long at = offset; at < offset + length; ) {
      long end = Math.min(offset + length, (at / UNIT + 1) * UNIT);
      extents.add(
          new Extent(
              at,
              end - at,
              context == Context.ALLOCATION ? !zero(at, end) : changed.get().touches(at, end)));
      at = end;
    }
    return extents;
  }

  private boolean zero(long from, long to) {
    for (long i = from; i < to; i++) {
      if (bytes[(int) i] != 0) {
        return false;
      }
    }
    return true;
  }

  @Override
  public void close() {}
}
