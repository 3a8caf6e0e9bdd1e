package bargelane.standins;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDigest;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.util.List;

/**
 * Troubles on demand.
 *
 * @param scratchBytes room for old blocks under snapshots; negative for no bound
 * @param capacityBytes room for the data of volumes that are not thick; negative for no bound
 * @param readDelayMs pause before every read of an export
 * @param cutAfterBytes an export fails after this many bytes read through it; negative for never
 * @param failStart machines whose name is this refuse to start
 * @param loseUnflushed a platform that is killed loses what was written through exports opened from
 *     now on and not flushed
 */
public record Faults(
    long scratchBytes,
    long capacityBytes,
    long readDelayMs,
    long cutAfterBytes,
    String failStart,
    boolean loseUnflushed) {

  public static final Faults NONE = new Faults(-1, -1, 0, -1, "", false);

  /** An export's device with the delay and the cut of the faults in force when it is used. */
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
