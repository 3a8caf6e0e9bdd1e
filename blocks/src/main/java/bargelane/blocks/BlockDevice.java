package bargelane.blocks;

import java.io.Closeable;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.List;

/**
 * A disk as a flat run of bytes.
 *
 * <p>Every implementation obeys this contract:
 *
 * <ul>
 *   <li>Offsets and lengths are bytes. A call outside {@code [0, size())} throws {@link
 *       IllegalArgumentException} and touches nothing.
 *   <li>{@link #read} fills the whole buffer or throws; there are no short reads. Bytes never
 *       written read as zero.
 *   <li>When {@link #write} or {@link #writeZeroes} has returned, later reads through any handle of
 *       the same device see the bytes. They survive a crash of the host only after {@link #flush}.
 *   <li>A write on a read-only device throws {@link ReadOnlyException}; when the storage behind it
 *       is full, {@link NoSpaceException}, and bytes outside the written range are unchanged.
 *   <li>{@link #status} covers the asked range exactly, in order, with no gap.
 *   <li>Devices may be called from several threads; two overlapping concurrent writes leave
 *       either's bytes.
 *   <li>After {@link #close} every call throws {@link IOException}. Closing twice does nothing.
 * </ul>
 */
public interface BlockDevice extends Closeable {

  /** What {@link #status} can be asked. */
  enum Context {
    /** Which ranges are known to read as zero. */
    ALLOCATION,
    /** Which ranges were written since the marker that this device was opened with. */
    CHANGED
  }

  /**
   * A range and one bit about it: for {@link Context#ALLOCATION} that it may hold data, for {@link
   * Context#CHANGED} that it was written.
   */
  record Extent(long offset, long length, boolean set) {
    public Extent {
      if (offset < 0 || length <= 0) {
        throw new IllegalArgumentException("extent at " + offset + " with length " + length);
      }
    }
  }

  /** Size in bytes; constant while the device is open. */
  long size();

  /** Whether writes are refused. */
  boolean readOnly();

  /** Fills {@code into} from {@code offset}. */
  void read(long offset, ByteBuffer into) throws IOException;

  /** Writes all that remains in {@code from} at {@code offset}. */
  void write(long offset, ByteBuffer from) throws IOException;

  /** Makes {@code length} bytes at {@code offset} read as zero, without sending them. */
  void writeZeroes(long offset, long length) throws IOException;

  /**
   * Returns when everything written before through this handle is on stable storage, and through
   * other handles too where {@link #flushesForAll} says so.
   *
   * @throws IOException if it is not, or can't be told
   */
  void flush() throws IOException;

  /** Whether {@link #flush} covers what was written through other handles of the device. */
  default boolean flushesForAll() {
    return true;
  }

  /** Whether {@link #status} answers for {@code context}. */
  boolean knows(Context context);

  /**
   * The extents of a range.
   *
   * @throws UnsupportedContextException if {@link #knows} is false for the context
   */
  List<Extent> status(Context context, long offset, long length) throws IOException;

  /** Whether the storage behind the device tells digests of blocks by itself. */
  default boolean tellsDigests() {
    return false;
  }

  /**
   * The digests of the blocks of a range, by what the storage behind the device holds.
   *
   * @param offset the start of a block
   * @throws UnsupportedOperationException if {@link #tellsDigests} is false
   */
  default byte[][] digests(BlockDigest by, long offset, long length) throws IOException {
    throw new UnsupportedOperationException("this device tells no digests");
  }

  /** Thrown by writes on a read-only device. */
  final class ReadOnlyException extends IOException {
    private static final long serialVersionUID = 1;

    public ReadOnlyException(String device) {
      super(device + " is read-only");
    }
  }

  /** Thrown by writes when the storage behind the device is full. */
  final class NoSpaceException extends IOException {
    private static final long serialVersionUID = 1;

    public NoSpaceException(String message) {
      super(message);
    }
  }

  /** Thrown when a device is asked for a context that it does not know. */
  final class UnsupportedContextException extends IOException {
    private static final long serialVersionUID = 1;

    public UnsupportedContextException(Context context) {
      super("block status is not offered for " + context);
    }
  }

  /**
   * Throws {@link IllegalArgumentException} unless the range lies inside a device of {@code size}
   * bytes.
   */
  static void checkRange(long size, long offset, long length) {
    if (offset < 0 || length < 0 || offset > size - length) {
      throw new IllegalArgumentException(
          "range " + offset + "+" + length + " is outside a device of " + size + " bytes");
    }
  }
}
