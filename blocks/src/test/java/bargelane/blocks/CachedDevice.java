package bargelane.blocks;

import java.io.IOException;
import java.io.InterruptedIOException;
import java.nio.ByteBuffer;
import java.util.List;
import java.util.TreeMap;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;

/**
 * A disk whose server holds writes in memory until they are flushed, each handle's apart from the
 * others', and loses them when it is killed.
 */
public final class CachedDevice {

  private static final int UNIT = 64 * 1024;

  /** What survives. */
  public final MemoryDevice stable;

  private final TreeMap<Long, byte[]> latest = new TreeMap<>();

  /** From this flush on, counted from 1, they fail once and then say that all is well. */
  public int failsFlush = Integer.MAX_VALUE;

  /** Writers wait in their first write until so many of them are in it, for a minute at most. */
  public CountDownLatch meet = new CountDownLatch(0);

  private int flushes;

  public CachedDevice(MemoryDevice stable) {
    this.stable = stable;
  }

  public synchronized int flushes() {
    return flushes;
  }

  /** Loses what was not flushed. */
  public synchronized void kill() {
    latest.clear();
  }

  /** One more handle. */
  public BlockDevice open() {
    return new Handle();
  }

  private final class Handle implements BlockDevice {

    private final TreeMap<Long, byte[]> own = new TreeMap<>();
    private boolean wrote;

    @Override
    public long size() {
      return stable.size();
    }

    @Override
    public boolean readOnly() {
      return false;
    }

    @Override
    public void read(long offset, ByteBuffer into) throws IOException {
      synchronized (CachedDevice.this) {
        for (long at = offset; into.hasRemaining(); at += UNIT) {
          byte[] held = latest.get(at);
          int n = Math.min(UNIT, into.remaining());
          if (held != null) {
            into.put(held, 0, n);
          } else {
            ByteBuffer part = into.slice(into.position(), n);
            stable.read(at, part);
            into.position(into.position() + n);
          }
        }
      }
    }

    @Override
    public void write(long offset, ByteBuffer from) throws IOException {
      if (!wrote) {
        wrote = true;
        meetOthers();
      }
      synchronized (CachedDevice.this) {
        for (long at = offset; from.hasRemaining(); at += UNIT) {
          byte[] block = new byte[Math.min(UNIT, from.remaining())];
          from.get(block);
          latest.put(at, block);
          own.put(at, block);
        }
      }
    }

    @Override
    public void writeZeroes(long offset, long length) throws IOException {
      write(offset, ByteBuffer.allocate((int) length));
    }

    private void meetOthers() throws IOException {
      meet.countDown();
      try {
        if (!meet.await(1, TimeUnit.MINUTES)) {
          throw new IOException("no other handle is written to");
        }
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        throw new InterruptedIOException();
      }
    }

    @Override
    public void flush() throws IOException {
      synchronized (CachedDevice.this) {
        flushes++;
        if (flushes == failsFlush) {
          own.clear();
          throw new IOException("input/output error");
        }
        for (var e : own.entrySet()) {
          stable.write(e.getKey(), ByteBuffer.wrap(e.getValue()));
          latest.remove(e.getKey(), e.getValue());
        }
        own.clear();
      }
    }

    @Override
    public boolean flushesForAll() {
      return false;
    }

    @Override
    public boolean knows(Context context) {
      return stable.knows(context);
    }

    @Override
    public List<Extent> status(Context context, long offset, long length) throws IOException {
      return stable.status(context, offset, length);
    }

    @Override
    public void close() {}
  }
}
