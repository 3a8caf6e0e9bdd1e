package bargelane.tug;

import bargelane.api.Lease;
import bargelane.api.LeaseDisk;
import bargelane.api.LeaseDone;
import bargelane.api.LeaseFailed;
import bargelane.api.LeaseIntent;
import bargelane.api.LeaseOpen;
import bargelane.api.LeaseOpened;
import bargelane.api.LeaseReport;
import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDigest;
import bargelane.blocks.DigestVolume;
import bargelane.blocks.Ranges;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.blocks.pass.DiskPass;
import bargelane.blocks.pass.Opener;
import bargelane.blocks.pass.PassEngine;
import bargelane.blocks.pass.PassKind;
import bargelane.blocks.pass.PassProgress;
import bargelane.blocks.pass.PassResult;
import bargelane.blocks.pass.PassWatcher;
import bargelane.blocks.pass.SizeException;
import bargelane.blocks.pass.VerifyException;
import bargelane.tug.LeaseDesk.LeaseLostException;
import java.io.IOException;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Carries out one lease, disk after disk. Reports go out on their own thread twice a second while
 * bytes move; when they stop moving the lease is no longer renewed. A lost lease closes every
 * connection at once.
 */
final class LeasedPass {

  private static final Logger log = LoggerFactory.getLogger(LeasedPass.class);
  private static final long REPORT_MS = 500;
  private static final long STALLED_NS = TimeUnit.SECONDS.toNanos(60);

  /** How far which disk is: told together, or one disk's watermark would be taken for another's. */
  private record Told(int disk, PassProgress progress) {}

  private final Lease lease;
  private final LeaseDesk desk;
  private final PassEngine engine;
  private final Set<BlockDevice> open = ConcurrentHashMap.newKeySet();
  private volatile Told latest = new Told(0, new PassProgress(0, 0, 0, 0, 0, 0));
  private volatile long movedAt = System.nanoTime();
  private volatile boolean lost;

  LeasedPass(Lease lease, LeaseDesk desk, PassEngine engine) {
    this.lease = lease;
    this.desk = desk;
    this.engine = engine;
  }

  void run() throws IOException {
    ScheduledExecutorService reporter = Executors.newSingleThreadScheduledExecutor();
    reporter.scheduleWithFixedDelay(this::report, REPORT_MS, REPORT_MS, TimeUnit.MILLISECONDS);
    try {
      for (LeaseDisk d : lease.disks()) {
        ship(d);
      }
    } catch (LeaseLostException e) {
      log.info("pass {} was given to another", lease.pass());
    } catch (IOException e) {
      if (!lost) {
        log.warn("pass {} failed on disk {}: {}", lease.pass(), latest.disk(), e.getMessage());
        desk.failed(lease.pass(), new LeaseFailed(lease.epoch(), code(e), e.getMessage()));
      }
    } finally {
      reporter.shutdownNow();
      closeAll();
    }
  }

  private static String code(IOException e) {
    for (Throwable t = e; t != null; t = t.getCause()) {
      if (t instanceof BlockDevice.NoSpaceException) {
        return "no-space";
      }
      if (t instanceof VerifyException) {
        return "verify";
      }
      if (t instanceof SizeException) {
        return "disk-grown";
      }
      if (t instanceof DigestVolume.MalformedException) {
        return "digests-malformed";
      }
      if (t instanceof LeaseDesk.RefusedException) {
        return "refused";
      }
    }
    return String.valueOf(e.getMessage()).contains("snapshot was dropped")
        ? "source-dropped"
        : "may-pass";
  }

  private void report() {
    if (System.nanoTime() - movedAt > STALLED_NS) {
      log.warn("pass {} has moved nothing for a minute: its lease is not renewed", lease.pass());
      lost = true;
      closeAll();
      return;
    }
    try {
      Told told = latest;
      PassProgress p = told.progress();
      desk.report(
          lease.pass(),
          new LeaseReport(
              lease.epoch(),
              told.disk(),
              p.total(),
              p.done(),
              p.read(),
              p.sent(),
              p.zeroed(),
              p.watermark()));
    } catch (LeaseLostException e) {
      lost = true;
      closeAll();
    } catch (IOException | RuntimeException e) {
      if (!Thread.currentThread().isInterrupted()) {
        log.warn("progress of pass {} could not be told: {}", lease.pass(), e.getMessage());
      } // Else the pass has ended meanwhile.
    }
  }

  private void closeAll() {
    for (BlockDevice device : open) {
      try {
        device.close();
      } catch (IOException e) {
        log.debug("closing a disk connection: {}", e.getMessage());
      }
    }
  }

  /** What gives the address of an export, asking for it to be opened if need be. */
  private interface Address {
    String get() throws IOException;
  }

  /** What a disk is written to, opened at the first question. */
  private final class Targets {

    private final int disk;
    private LeaseOpened opened;

    Targets(int disk) {
      this.disk = disk;
    }

    private synchronized LeaseOpened opened() throws IOException {
      if (opened == null) {
        opened = desk.open(lease.pass(), new LeaseOpen(lease.epoch(), disk));
        movedAt = System.nanoTime();
      }
      return opened;
    }

    String replica() throws IOException {
      return opened().targetUri();
    }

    String digests() throws IOException {
      return opened().digestsUri();
    }
  }

  private Opener opener(Address uri) {
    return new Opener() {
      @Override
      public BlockDevice open() throws IOException {
        return open(Optional.empty());
      }

      @Override
      public BlockDevice open(BlockDigest digest) throws IOException {
        return open(Optional.of(digest));
      }

      private BlockDevice open(Optional<BlockDigest> digest) throws IOException {
        if (lost) {
          throw new LeaseLostException(lease.pass());
        }
        BlockDevice device = NbdClient.connect(NbdAddress.parse(uri.get()), digest);
        open.add(device);
        if (lost) {
          closeAll();
        }
        return device;
      }
    };
  }

  private void ship(LeaseDisk d) throws IOException {
    latest = new Told(d.index(), new PassProgress(0, 0, 0, 0, 0, d.resumeFrom()));
    PassKind kind = PassKind.valueOf(lease.kind().toUpperCase(Locale.ROOT));
    DiskPass pass =
        new DiskPass(
            kind,
            Ranges.parse(d.mayDiffer()),
            d.mayDifferAnywhere(),
            d.resumeFrom(),
            lease.verify(),
            Optional.of(new DiskPass.Known(d.root(), d.bytes())).filter(k -> !k.root().isEmpty()));
    PassWatcher watcher =
        new PassWatcher() {
          @Override
          public void intent(Ranges ranges, boolean anywhere) throws IOException {
            // A pass that can't tell what it will write needs no list: everything is in doubt.
            desk.intent(
                lease.pass(),
                new LeaseIntent(lease.epoch(), d.index(), anywhere ? "" : ranges.text(), anywhere));
          }

          @Override
          public void progress(PassProgress progress) throws IOException {
            latest = new Told(d.index(), progress);
            movedAt = System.nanoTime();
            if (lost) {
              throw new LeaseLostException(lease.pass());
            }
          }
        };
    Targets targets = new Targets(d.index());
    PassResult result;
    try {
      result =
          engine.run(
              opener(d::sourceUri),
              opener(targets::replica),
              opener(targets::digests),
              pass,
              watcher);
    } finally {
      closeAll();
      open.clear();
    }
    PassProgress p = result.progress();
    desk.done(
        lease.pass(),
        new LeaseDone(
            lease.epoch(),
            d.index(),
            p.total(),
            p.read(),
            p.sent(),
            p.zeroed(),
            kind == PassKind.TALLY ? result.differed().text() : "",
            result.root(),
            result.readBack()));
  }
}
