package bargelane.service.replication;

import bargelane.core.finding.Finding.Code;
import bargelane.service.platform.Json;
import com.fasterxml.jackson.core.type.TypeReference;
import java.util.List;

/**
 * A disk that a machine has and no pass copies, or that passes copy and the machine has no more.
 *
 * @param bytes 0 where it is not told
 * @param storage where it is
 * @param detached whether the machine has it no more
 * @param why it is not copied, or what it is not any more, as a sentence's part
 * @param advice what to do
 */
public record DifferingDisk(
    String volume, long bytes, String storage, boolean detached, String why, String advice) {

  private static final TypeReference<List<DifferingDisk>> ALL = new TypeReference<>() {};

  /** Those of a member, as its last pass saw them. */
  public static List<DifferingDisk> of(MemberEntity m) {
    return Json.read(m.differing, ALL);
  }

  /** A disk that the machine has no more. */
  static DifferingDisk detached(String volume) {
    return new DifferingDisk(
        volume,
        0,
        "",
        true,
        "is not attached to the machine any more",
        "attach it again; if it is to stay behind, take the machine out and plan it anew");
  }

  /** What is to be known of it, as a sentence's part. */
  public String cause() {
    return "disk " + volume + (detached ? " is copied, and " : " is not copied: ") + why;
  }

  /** What is found of it. */
  public Code code() {
    return detached ? Code.DISK_DETACHED : Code.DISK_NOT_COPIED;
  }
}
