package bargelane.service.replication;

import bargelane.service.platform.Json;
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

  private static final TypeReference<List<PointVolume>> ALL = new TypeReference<>() {};

  /** The disks of a point. */
  public static List<PointVolume> of(PointEntity point) {
    return Json.read(point.volumes, ALL);
  }
}
