package bargelane.blocks.pass;

import bargelane.blocks.DigestMap;
import bargelane.blocks.Ranges;
import java.util.Optional;

/**
 * What one pass has to do on one disk.
 *
 * @param kind how to find what to ship
 * @param mayDiffer the write-intent set: ranges of the replica that may differ from the state that
 *     the digest map and the marker stand for; they are always looked at, whatever the source
 *     tracked
 * @param mayDifferAnywhere that the whole replica may differ, so that no digest is trusted
 * @param digests the digest map of the replica's newest point, where there is one
 * @param resumeFrom bytes from the start of the disk that an earlier attempt of this same pass, on
 *     the same snapshot, says it shipped; they are compared with the source, and shipped again only
 *     where they differ
 * @param verify whether what is written is read back and compared
 */
public record DiskPass(
    PassKind kind,
    Ranges mayDiffer,
    boolean mayDifferAnywhere,
    Optional<DigestMap> digests,
    long resumeFrom,
    boolean verify) {

  /** A first, full pass onto a blank replica, verified. */
  public static DiskPass full() {
    return new DiskPass(PassKind.FULL, new Ranges(), false, Optional.empty(), 0, true);
  }
}
