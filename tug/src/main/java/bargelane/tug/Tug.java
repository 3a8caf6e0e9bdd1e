package bargelane.tug;

import bargelane.api.Lease;
import bargelane.blocks.pass.PassEngine;
import java.io.Closeable;
import java.io.IOException;
import java.util.Optional;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicReference;
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

  /** Why there was no answer last; null if there was one. */
  private final AtomicReference<String> away = new AtomicReference<>();

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
        answers();
        if (lease.isPresent()) {
          new LeasedPass(lease.get(), desk, engine).run();
        }
      } catch (IOException | RuntimeException e) {
        if (closing.getCount() > 0) {
          away(e);
          pause();
        }
      }
    }
  }

  /** Tells once that the desk gives no work, and not each time that it is asked again. */
  private void away(Exception why) {
    String said = why.getMessage() == null ? why.getClass().getSimpleName() : why.getMessage();
    if (!said.equals(away.getAndSet(said))) {
      log.warn("tug {} gets no passes: {}", name, said);
    }
  }

  private void answers() {
    if (away.getAndSet(null) != null) {
      log.info("tug {}: the service answers again", name);
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
