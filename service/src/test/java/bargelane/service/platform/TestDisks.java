package bargelane.service.platform;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdServer;
import java.io.Closeable;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;

/** A disk server on a Unix socket with disks in memory. */
public final class TestDisks implements Closeable {

  private final Path dir;
  private final NbdServer server;

  private TestDisks(Path dir) throws IOException {
    this.dir = dir;
    this.server = NbdServer.unix(dir.resolve("s"));
  }

  public static TestDisks open() throws IOException {
    return new TestDisks(Files.createTempDirectory("disks"));
  }

  /** Offers a blank disk. */
  public BlockDevice offer(String name, long bytes) {
    BlockDevice disk = new Memory(new byte[Math.toIntExact(bytes)]);
    server.offer(name, disk);
    return disk;
  }

  /** Lets nobody look at a disk any more. */
  public void withdraw(String name) throws IOException {
    server.revoke(name);
  }

  public String uri(String name) {
    return new NbdAddress.Unix(dir.resolve("s"), name).uri();
  }

  @Override
  public void close() throws IOException {
    server.close();
    Files.delete(dir);
  }

  private record Memory(byte[] bytes) implements BlockDevice {
    @Override
    public long size() {
      return bytes.length;
    }

    @Override
    public boolean readOnly() {
      return false;
    }

    @Override
    public synchronized void read(long offset, ByteBuffer into) {
      into.put(bytes, (int) offset, into.remaining());
    }

    @Override
    public synchronized void write(long offset, ByteBuffer from) {
      from.get(bytes, (int) offset, from.remaining());
    }

    @Override
    public synchronized void writeZeroes(long offset, long length) {
      java.util.Arrays.fill(bytes, (int) offset, (int) (offset + length), (byte) 0);
    }

    @Override
    public void flush() {}

    @Override
    public boolean knows(Context context) {
      return false;
    }

    @Override
    public List<Extent> status(Context context, long offset, long length) throws IOException {
      throw new UnsupportedContextException(context);
    }

    @Override
    public void close() {}
  }
}
