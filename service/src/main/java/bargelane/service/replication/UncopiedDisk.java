package bargelane.service.replication;

import bargelane.service.platform.Json;
import com.fasterxml.jackson.core.type.TypeReference;
import java.util.List;

/**
 * A disk that a machine has and that no pass copies.
 *
 * @param bytes 0 where it is not told
 * @param storage where it is
 * @param why as a sentence's part
 * @param advice what to do
 */
public record UncopiedDisk(String volume, long bytes, String storage, String why, String advice) {

  private static final TypeReference<List<UncopiedDisk>> ALL = new TypeReference<>() {};

  /** Those of a member, as its last pass saw them. */
  public static List<UncopiedDisk> of(MemberEntity m) {
    return Json.read(m.uncopied, ALL);
  }
}
