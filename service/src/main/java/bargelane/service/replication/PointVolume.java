package bargelane.service.replication;

/** One disk of a point: the replica volume it was frozen from and the digest of its content. */
public record PointVolume(String memberId, int disk, String volume, String root) {}
