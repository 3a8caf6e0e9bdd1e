package bargelane.service.replication;

/**
 * One disk of a pass, with where it stands. {@code snapshot} is empty where a volume is read as it
 * is, {@code since} where no tracking is used, {@code targetVolume} where nothing is written.
 * {@code intended} says that its write-intent set is recorded, without which nothing may be
 * written.
 */
public record PassDisk(
    int index,
    String memberId,
    String machine,
    int disk,
    String replicaId,
    String sourceSite,
    String sourceVolume,
    String snapshot,
    String since,
    String targetSite,
    String targetVolume,
    long bytes,
    String mayDiffer,
    boolean anywhere,
    boolean intended,
    boolean finished,
    long total,
    long done,
    long read,
    long sent,
    long zeroed,
    long watermark,
    String differed,
    String root) {

  /** The file that holds this disk's digest map beside a point. */
  public String digestFile() {
    return "digests-" + memberId + "-" + disk;
  }

  PassDisk progress(
      long newTotal, long newDone, long newRead, long newSent, long newZeroed, long newWatermark) {
    return new PassDisk(
        index,
        memberId,
        machine,
        disk,
        replicaId,
        sourceSite,
        sourceVolume,
        snapshot,
        since,
        targetSite,
        targetVolume,
        bytes,
        mayDiffer,
        anywhere,
        intended,
        finished,
        newTotal,
        newDone,
        newRead,
        newSent,
        newZeroed,
        Math.max(watermark, newWatermark),
        differed,
        root);
  }

  PassDisk finish(
      long newTotal, long newRead, long newSent, long newZeroed, String ranges, String digest) {
    return new PassDisk(
        index,
        memberId,
        machine,
        disk,
        replicaId,
        sourceSite,
        sourceVolume,
        snapshot,
        since,
        targetSite,
        targetVolume,
        bytes,
        mayDiffer,
        anywhere,
        intended,
        true,
        newTotal,
        newTotal,
        newRead,
        newSent,
        newZeroed,
        bytes,
        ranges,
        digest);
  }

  /** The same once it is recorded what may be written. */
  PassDisk withIntent() {
    return new PassDisk(
        index,
        memberId,
        machine,
        disk,
        replicaId,
        sourceSite,
        sourceVolume,
        snapshot,
        since,
        targetSite,
        targetVolume,
        bytes,
        mayDiffer,
        anywhere,
        true,
        finished,
        total,
        done,
        read,
        sent,
        zeroed,
        watermark,
        differed,
        root);
  }

  PassDisk withoutMarker() {
    return new PassDisk(
        index,
        memberId,
        machine,
        disk,
        replicaId,
        sourceSite,
        sourceVolume,
        snapshot,
        "",
        targetSite,
        targetVolume,
        bytes,
        mayDiffer,
        anywhere,
        intended,
        finished,
        total,
        done,
        read,
        sent,
        zeroed,
        watermark,
        differed,
        root);
  }

  /** A disk of which nothing is done yet. */
  static PassDisk fresh(
      int index,
      String memberId,
      String machine,
      int disk,
      String replicaId,
      String sourceSite,
      String sourceVolume,
      String snapshot,
      String since,
      String targetSite,
      String targetVolume,
      long bytes,
      String mayDiffer,
      boolean anywhere) {
    return new PassDisk(
        index,
        memberId,
        machine,
        disk,
        replicaId,
        sourceSite,
        sourceVolume,
        snapshot,
        since,
        targetSite,
        targetVolume,
        bytes,
        mayDiffer,
        anywhere,
        false,
        false,
        0,
        0,
        0,
        0,
        0,
        0,
        "",
        "");
  }
}
