package bargelane.service.replication;

import java.util.Objects;
import org.jspecify.annotations.Nullable;

/**
 * One disk of a pass, with where it stands.
 *
 * @param replicaId empty where nothing is written
 * @param from what is read
 * @param to what is written; null where nothing is
 * @param digests what its digests are, or are held against
 * @param intended its write-intent set is recorded, without which nothing may be written
 * @param differed where it differs, for a tally; in the form of {@link bargelane.blocks.Ranges}
 * @param root the root digest that it ended with; empty before, and for a tally
 * @param readBack whether it was verified by reading back, at least in part
 */
public record PassDisk(
    int index,
    String memberId,
    String machine,
    int disk,
    String replicaId,
    From from,
    @Nullable To to,
    Digests digests,
    long bytes,
    boolean intended,
    boolean finished,
    Progress progress,
    String differed,
    String root,
    boolean readBack) {

  /**
   * What is read.
   *
   * @param snapshot empty where a volume is read as it is, or as a point holds it
   * @param since the marker whose changes are asked for; empty where no tracking is used
   * @param point as this point holds it; empty for the volume itself
   */
  public record From(String site, String volume, String snapshot, String since, String point) {
    public From {
      // A version before did not have it.
      point = Objects.requireNonNullElse(point, "");
    }
  }

  /** What is written. */
  public record To(String site, String volume) {}

  /**
   * A volume of digests.
   *
   * @param point as this point holds it; empty for the volume that goes on with the replica
   */
  public record Digests(String site, String point, String volume) {}

  /** Bytes, as its tug told them. */
  record Progress(long total, long done, long read, long sent, long zeroed, long watermark) {
    static final Progress NONE = new Progress(0, 0, 0, 0, 0, 0);
  }

  /** A disk of which nothing is done yet. */
  static PassDisk fresh(
      int index,
      String memberId,
      String machine,
      int disk,
      String replicaId,
      From from,
      @Nullable To to,
      Digests digests,
      long bytes) {
    return new PassDisk(
        index,
        memberId,
        machine,
        disk,
        replicaId,
        from,
        to,
        digests,
        bytes,
        false,
        false,
        Progress.NONE,
        "",
        "",
        false);
  }

  /**
   * One disk of a tally: nothing is written, and where changes are tracked only those are looked
   * at.
   */
  public static PassDisk tally(
      int index,
      String memberId,
      String machine,
      int disk,
      From from,
      Digests against,
      long bytes) {
    return fresh(index, memberId, machine, disk, "", from, null, against, bytes);
  }

  /** Bytes that were shipped, or that differ for a tally. */
  public long moved() {
    return progress.sent + progress.zeroed;
  }

  PassDisk with(Progress now) {
    Progress kept =
        new Progress(
            now.total,
            now.done,
            now.read,
            now.sent,
            now.zeroed,
            Math.max(progress.watermark, now.watermark));
    return new PassDisk(
        index, memberId, machine, disk, replicaId, from, to, digests, bytes, intended, finished,
        kept, differed, root, readBack);
  }

  PassDisk finish(Progress last, String ranges, String digest, boolean wasReadBack) {
    return new PassDisk(
        index,
        memberId,
        machine,
        disk,
        replicaId,
        from,
        to,
        digests,
        bytes,
        intended,
        true,
        last,
        ranges,
        digest,
        wasReadBack);
  }

  /** The same once it is recorded what may be written. */
  PassDisk withIntent() {
    return new PassDisk(
        index, memberId, machine, disk, replicaId, from, to, digests, bytes, true, finished,
        progress, differed, root, readBack);
  }

  PassDisk withoutMarker() {
    return new PassDisk(
        index,
        memberId,
        machine,
        disk,
        replicaId,
        new From(from.site, from.volume, from.snapshot, "", from.point),
        to,
        digests,
        bytes,
        intended,
        finished,
        progress,
        differed,
        root,
        readBack);
  }
}
