package bargelane.blocks.pass;

import bargelane.blocks.Ranges;
import java.util.Optional;

/**
 * What one pass has to do on one disk.
 *
 * @param kind how to find what to ship
 * @param mayDiffer the write-intent set: ranges of the replica that may differ from the state that
 *     the digests and the marker stand for; they are always looked at, whatever the source tracked
 * @param mayDifferAnywhere that the whole replica may differ, so that no digest is trusted
 * @param resumeFrom bytes from the start of the disk that an earlier attempt of this same pass, on
 *     the same snapshot, says it shipped; they are compared with the source, and shipped again only
 *     where they differ
 * @param verify whether what is written is verified once it is flushed
 * @param known what the digests are known to say without being opened; empty where nothing is
 */
public record DiskPass(
    PassKind kind,
    Ranges mayDiffer,
    boolean mayDifferAnywhere,
    long resumeFrom,
    boolean verify,
    Optional<Known> known) {

  /**
   * Digests of a replica in which nothing may differ: their root, and the size that they are of.
   */
  public record Known(String root, long size) {}

  /** A pass of whose digests nothing is known. */
  public DiskPass(
      PassKind kind, Ranges mayDiffer, boolean mayDifferAnywhere, long resumeFrom, boolean verify) {
    this(kind, mayDiffer, mayDifferAnywhere, resumeFrom, verify, Optional.empty());
  }

  /** A first, full pass onto a blank replica, verified. */
  public static DiskPass full() {
    return new DiskPass(PassKind.FULL, new Ranges(), false, 0, true);
  }
}
