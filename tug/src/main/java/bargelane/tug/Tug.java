package bargelane.tug;

import bargelane.api.Lease;
import bargelane.blocks.pass.PassEngine;
import java.io.Closeable;
import java.io.IOException;
import java.util.Optional;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * A worker that takes passes from a lease desk and moves their bytes. It holds nothing that
 * matters.
 */
public final class Tug implements Closeable {

  /** Told to the service with every request for work. */
  public static final String VERSION = "0.1.0";

  private static final Logger log = LoggerFactory.getLogger(Tug.class);
  private static final int WAIT_SECONDS = 10;
  private static final long RETRY_MS = 500;

  private final String name;
  private final LeaseDesk desk;
  private final PassEngine engine;
  private final ExecutorService slots;
  private final java.util.concurrent.CountDownLatch closing =
      new java.util.concurrent.CountDownLatch(1);

  /**
   * Starts working.
   *
   * @param passes how many passes at once
   * @param workers connections a pass
   */
  public Tug(String name, LeaseDesk desk, int passes, int workers) {
    this.name = name;
    this.desk = desk;
    this.engine = new PassEngine(workers);
    this.slots = Executors.newFixedThreadPool(passes, r -> new Thread(r, "tug"));
    for (int i = 0; i < passes; i++) {
      slots.submit(this::work);
    }
  }

  private void work() {
    while (closing.getCount() > 0) {
      try {
        Optional<Lease> lease = desk.take(name, WAIT_SECONDS);
        if (lease.isPresent()) {
          new LeasedPass(lease.get(), desk, engine).run();
        }
      } catch (IOException | RuntimeException e) {
        if (closing.getCount() > 0) {
          log.warn("tug {}: {}", name, e.getMessage());
          pause();
        }
      }
    }
  }

  /** Waits a little before the desk is asked again, or until the tug is closed. */
  private void pause() {
    try {
      closing.await(RETRY_MS, TimeUnit.MILLISECONDS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      closing.countDown();
    }
  }

  @Override
  public void close() {
    closing.countDown();
    slots.shutdownNow();
  }
}
