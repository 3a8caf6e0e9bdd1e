package bargelane.tug;

import bargelane.api.Lease;
import bargelane.api.LeaseDone;
import bargelane.api.LeaseFailed;
import bargelane.api.LeaseIntent;
import bargelane.api.LeaseOpen;
import bargelane.api.LeaseOpened;
import bargelane.api.LeaseReport;
import java.io.IOException;
import java.util.Optional;

/**
 * Where a tug gets its work. A lease belongs to its holder for a few seconds and is renewed by
 * every report. Every call but {@link #take} carries the lease's epoch; once the work was given to
 * another, calls with the old epoch throw {@link LeaseLostException} and change nothing.
 */
public interface LeaseDesk {

  /** Asks for work, waiting up to {@code waitSeconds} for some to come. */
  Optional<Lease> take(String tug, int waitSeconds) throws IOException;

  /** Tells progress and renews. */
  void report(String pass, LeaseReport report) throws IOException;

  /** Stores what may be written; returns when it is on stable storage. */
  void intent(String pass, LeaseIntent intent) throws IOException;

  /**
   * Opens what a disk is written to; asked for once there is something to write or to compare. A
   * lease whose sites can't open it is lost.
   */
  LeaseOpened open(String pass, LeaseOpen open) throws IOException;

  /** Tells that a disk is finished. */
  void done(String pass, LeaseDone done) throws IOException;

  /** Gives the lease up. */
  void failed(String pass, LeaseFailed failed) throws IOException;

  /** What was told can't be, and the same will be refused again. */
  final class RefusedException extends IOException {
    private static final long serialVersionUID = 1;

    public RefusedException(String message) {
      super(message);
    }
  }

  /** The lease was given to another, or its pass is over. */
  final class LeaseLostException extends IOException {
    private static final long serialVersionUID = 1;

    public LeaseLostException(String pass) {
      super("the lease of pass " + pass + " is lost");
    }
  }
}
