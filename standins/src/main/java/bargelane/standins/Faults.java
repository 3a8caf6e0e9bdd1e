package bargelane.standins;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDigest;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.List;
import java.util.Objects;
import java.util.concurrent.atomic.AtomicInteger;

/**
 * Troubles on demand.
 *
 * @param scratchBytes room for old blocks under snapshots; negative for no bound
 * @param capacityBytes room for the data of volumes that are not thick; negative for no bound
 * @param readDelayMs pause before every read of an export
 * @param cutAfterBytes an export fails after this many bytes read through it; negative for never
 * @param failStart machines whose name is this refuse to start
 * @param panics guests of machines whose name begins with this panic at their start; empty for none
 * @param withdrawn a size that is not offered any more; empty for none
 * @param shut machines whose name begins with this are reached by nobody from outside, whatever
 *     their rules; empty for none
 * @param loseUnflushed a platform that is killed loses what was written through exports opened from
 *     now on and not flushed
 * @param wrongWrites writes through an export of which each stores one wrong bit, from now on
 */
public record Faults(
    long scratchBytes,
    long capacityBytes,
    long readDelayMs,
    long cutAfterBytes,
    String failStart,
    String panics,
    String withdrawn,
    String shut,
    boolean loseUnflushed,
    AtomicInteger wrongWrites) {

  public static final Faults NONE =
      new Faults(-1, -1, 0, -1, "", "", "", "", false, new AtomicInteger());

  public Faults {
    panics = Objects.requireNonNullElse(panics, "");
    shut = Objects.requireNonNullElse(shut, "");
    withdrawn = Objects.requireNonNullElse(withdrawn, "");
    wrongWrites = Objects.requireNonNullElse(wrongWrites, new AtomicInteger());
  }

  private boolean wrongWrite() {
    return wrongWrites.getAndUpdate(n -> Math.max(0, n - 1)) > 0;
  }

  boolean panics(String machine) {
    return !panics.isEmpty() && machine.startsWith(panics);
  }

  boolean shut(String machine) {
    return !shut.isEmpty() && machine.startsWith(shut);
  }

  /** An export's device with those of the faults in force that are its own when it is used. */
  static BlockDevice wrap(BlockDevice inner, java.util.function.Supplier<Faults> faults) {
    return new BlockDevice() {
      private long bytesRead;

      @Override
      public long size() {
        return inner.size();
      }

      @Override
      public boolean readOnly() {
        return inner.readOnly();
      }

      @Override
      public void read(long offset, ByteBuffer into) throws IOException {
        read(into.remaining());
        inner.read(offset, into);
      }

      private void read(long bytes) throws IOException {
        Faults now = faults.get();
        if (now.readDelayMs() > 0) {
          try {
            Thread.sleep(now.readDelayMs());
          } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new IOException("interrupted", e);
          }
        }
        bytesRead += bytes;
        if (now.cutAfterBytes() >= 0 && bytesRead > now.cutAfterBytes()) {
          throw new IOException("the connection was cut, as asked for");
        }
      }

      @Override
      public void write(long offset, ByteBuffer from) throws IOException {
        if (from.hasRemaining() && faults.get().wrongWrite()) {
          ByteBuffer wrong = ByteBuffer.allocate(from.remaining());
          wrong.put(from.slice()).flip();
          int at = wrong.remaining() / 2;
          wrong.put(at, (byte) (wrong.get(at) ^ 1));
          inner.write(offset, wrong);
          from.position(from.limit());
          return;
        }
        inner.write(offset, from);
      }

      @Override
      public void writeZeroes(long offset, long length) throws IOException {
        inner.writeZeroes(offset, length);
      }

      @Override
      public void flush() throws IOException {
        inner.flush();
      }

      @Override
      public boolean tellsDigests() {
        return inner.tellsDigests();
      }

      @Override
      public byte[][] digests(BlockDigest by, long offset, long length) throws IOException {
        read(length);
        return inner.digests(by, offset, length);
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
      public void close() throws IOException {
        inner.close();
      }
    };
  }
}
