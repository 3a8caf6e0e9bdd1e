package bargelane.sites.standin;

import java.io.FilterInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.InterruptedIOException;
import java.time.Duration;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.ScheduledFuture;
import java.util.concurrent.TimeUnit;

/** An answer that is read while it comes, and is given up when nothing of it comes for a while. */
final class StallGuardedStream extends FilterInputStream {

  private static final ScheduledExecutorService GUARDS =
      Executors.newSingleThreadScheduledExecutor(
          r -> {
            Thread thread = new Thread(r, "answers-stalled");
            thread.setDaemon(true);
            return thread;
          });

  private final Duration patience;
  private volatile boolean stalled;

  StallGuardedStream(InputStream in, Duration patience) {
    super(in);
    this.patience = patience;
  }

  private void giveUp() {
    stalled = true;
    try {
      in.close();
    } catch (IOException e) {
      // It is closed.
    }
  }

  private interface Reading {
    int read() throws IOException;
  }

  private int guarded(Reading reading) throws IOException {
    ScheduledFuture<?> guard =
        GUARDS.schedule(this::giveUp, patience.toMillis(), TimeUnit.MILLISECONDS);
    try {
      int read = reading.read();
      if (read < 0 && stalled) {
        throw new IOException("closed");
      }
      return read;
    } catch (IOException e) {
      if (stalled) {
        throw new InterruptedIOException(
            "nothing of the answer came for " + patience.toMillis() / 1000.0 + " s");
      }
      throw e;
    } finally {
      guard.cancel(false);
    }
  }

  @Override
  public int read() throws IOException {
    return guarded(super::read);
  }

  @Override
  public int read(byte[] into, int offset, int length) throws IOException {
    return guarded(() -> super.read(into, offset, length));
  }
}
