package bargelane.service.replication;

import bargelane.api.Lease;
import bargelane.api.LeaseDone;
import bargelane.api.LeaseFailed;
import bargelane.api.LeaseIntent;
import bargelane.api.LeaseOpen;
import bargelane.api.LeaseOpened;
import bargelane.api.LeaseReport;
import bargelane.blocks.tls.ServerKeys;
import bargelane.service.platform.ProblemException;
import bargelane.tug.LeaseDesk;
import bargelane.tug.Tug;
import java.io.IOException;
import java.util.Optional;
import java.util.concurrent.atomic.AtomicReference;

/** The lease desk of this process, for a tug that runs in it. */
public final class OwnDesk implements LeaseDesk {

  private final Leases leases;
  private final Tugs tugs;

  public OwnDesk(Leases leases, Tugs tugs) {
    this.leases = leases;
    this.tugs = tugs;
  }

  @Override
  public Optional<Lease> take(String tug, int waitSeconds) throws IOException {
    tugs.asks(tug, Tug.VERSION);
    try {
      return leases.take(tug, ServerKeys.own().fingerprint(), waitSeconds);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
  }

  @Override
  public void report(String pass, LeaseReport report) throws IOException {
    told(pass, () -> leases.report(pass, report));
  }

  @Override
  public void intent(String pass, LeaseIntent intent) throws IOException {
    told(pass, () -> leases.intent(pass, intent));
  }

  @Override
  public LeaseOpened open(String pass, LeaseOpen open) throws IOException {
    AtomicReference<LeaseOpened> opened = new AtomicReference<>();
    told(pass, () -> opened.set(leases.open(pass, open)));
    return opened.get();
  }

  @Override
  public void done(String pass, LeaseDone done) throws IOException {
    told(pass, () -> leases.done(pass, done));
  }

  @Override
  public void failed(String pass, LeaseFailed failed) throws IOException {
    told(pass, () -> leases.failed(pass, failed));
  }

  private static void told(String pass, Runnable what) throws IOException {
    try {
      what.run();
    } catch (ProblemException e) {
      if (e.status() == 409 || e.status() == 404) {
        throw new LeaseLostException(pass);
      }
      throw e.status() == 422 ? new RefusedException(e.getMessage()) : new IOException(e);
    } catch (RuntimeException e) {
      // A site or the database that is away: over HTTP it would be an answer with status 503.
      throw new IOException(e.getMessage(), e);
    }
  }
}
