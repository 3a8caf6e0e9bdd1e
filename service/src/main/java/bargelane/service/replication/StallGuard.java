package bargelane.service.replication;

import bargelane.blocks.DigestVolume;
import java.io.Closeable;
import java.io.IOException;
import java.time.Duration;
import java.util.List;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.Executor;
import java.util.concurrent.TimeUnit;

/** Cuts connections through which nothing has come for a while, so that nobody waits for ever. */
final class StallGuard implements Closeable, DigestVolume.Beat {

  private final long patienceNs;
  private final List<Closeable> connections;
  private volatile long moved = System.nanoTime();
  private volatile boolean over;

  StallGuard(Duration patience, Closeable... connections) {
    this.patienceNs = patience.toNanos();
    this.connections = List.of(connections);
    look(patienceNs);
  }

  private void look(long inNs) {
    Executor later = CompletableFuture.delayedExecutor(inNs, TimeUnit.NANOSECONDS);
    later.execute(
        () -> {
          long left = moved + patienceNs - System.nanoTime();
          if (over) {
            return;
          }
          if (left > 0) {
            look(left);
            return;
          }
          for (Closeable c : connections) {
            try {
              c.close();
            } catch (IOException e) {
              // It is cut all the same.
            }
          }
        });
  }

  @Override
  public void beat() {
    moved = System.nanoTime();
  }

  @Override
  public void close() {
    over = true;
  }
}
