package bargelane.service.replication;

import java.util.Objects;

/**
 * One disk of a point: the replica volume that it was frozen from, the digest of its content, and
 * the volume of its digests, frozen with it; empty where it has none, recorded by a version before.
 */
public record PointVolume(String memberId, int disk, String volume, String root, String digests) {
  public PointVolume {
    digests = Objects.requireNonNullElse(digests, "");
  }
}
