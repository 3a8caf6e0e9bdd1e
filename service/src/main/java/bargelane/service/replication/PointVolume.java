package bargelane.service.replication;

import bargelane.service.platform.Json;
import bargelane.service.run.RunFailure;
import com.fasterxml.jackson.core.type.TypeReference;
import java.util.List;
import java.util.Objects;

/**
 * One disk of a point: the replica volume that it was frozen from, the digest of its content, and
 * the volume of its digests, frozen with it; empty where it has none, recorded by a version before.
 */
public record PointVolume(String memberId, int disk, String volume, String root, String digests) {
  public PointVolume {
    digests = Objects.requireNonNullElse(digests, "");
  }

  /** Its digests as a point of which it is holds them. */
  public PassDisk.Digests digestsIn(PointEntity point) {
    if (digests.isEmpty()) {
      throw new RunFailure(
          "digests-missing",
          "point " + point.number + " was recorded by an earlier version, without digests",
          "make a pass; its point holds them");
    }
    return new PassDisk.Digests(point.siteId, point.name, digests);
  }

  private static final TypeReference<List<PointVolume>> ALL = new TypeReference<>() {};

  /** The disks of a point. */
  public static List<PointVolume> of(PointEntity point) {
    return Json.read(point.volumes, ALL);
  }
}
