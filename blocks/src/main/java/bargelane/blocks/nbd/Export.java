package bargelane.blocks.nbd;

import bargelane.blocks.BlockDevice;
import java.io.Closeable;
import java.io.IOException;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.locks.ReentrantReadWriteLock;

/**
 * One offered device. Requests run under the gate's read lock, so that revoking can wait for the
 * last one.
 */
final class Export {

  /** A request against the device. */
  interface Work {
    void run(BlockDevice device) throws IOException;
  }

  private final String name;
  private final BlockDevice device;
  private final Set<String> readers;
  private final ReentrantReadWriteLock gate = new ReentrantReadWriteLock();
  private final Set<Closeable> sessions = ConcurrentHashMap.newKeySet();
  private boolean revoked;

  /**
   * @param readers whose certificate it is for, by fingerprint; none for whoever knows its name
   */
  Export(String name, BlockDevice device, Set<String> readers) {
    this.readers = readers;
    this.name = name;
    this.device = device;
  }

  /** Whether it is for whoever has shown this; nothing if nothing was shown. */
  boolean isFor(String fingerprint) {
    return readers.isEmpty() || readers.contains(fingerprint);
  }

  BlockDevice device() {
    return device;
  }

  void join(Closeable session) {
    sessions.add(session);
  }

  void leave(Closeable session) {
    sessions.remove(session);
  }

  /** Runs one request, or throws if the export was revoked. */
  void run(Work work) throws IOException {
    gate.readLock().lock();
    try {
      if (revoked) {
        throw new NbdException("request", name, Nbd.ESHUTDOWN, "the export was revoked");
      }
      work.run(device);
    } finally {
      gate.readLock().unlock();
    }
  }

  void revoke() throws IOException {
    gate.writeLock().lock();
    try {
      revoked = true;
    } finally {
      gate.writeLock().unlock();
    }
    for (Closeable session : sessions) {
      session.close();
    }
    device.close();
  }
}
