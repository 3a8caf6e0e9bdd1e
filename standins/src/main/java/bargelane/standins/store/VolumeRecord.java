package bargelane.standins.store;

/**
 * What is stored about a volume.
 *
 * @param storageClass name of the platform's storage or class it lies in
 * @param owner the creator's tag, empty for the platform's own
 * @param key that it is encrypted with; empty for the platform's own
 * @param asOf the instant of a volume elsewhere that it holds, should a storage system fill it from
 *     there; empty while it holds no whole one, null if none does
 * @param thick room was set aside when it was made, so that its writes never find the storage full
 * @param ended whether the storage system has stopped filling it
 */
public record VolumeRecord(
    String name,
    long size,
    String storageClass,
    String owner,
    boolean thick,
    String key,
    String asOf,
    boolean ended) {

  /** What was stored before keys could be chosen has none. */
  public VolumeRecord {
    key = key == null ? "" : key;
  }

  public VolumeRecord(String name, long size, String storageClass, String owner, boolean thick) {
    this(name, size, storageClass, owner, thick, "");
  }

  public VolumeRecord(
      String name, long size, String storageClass, String owner, boolean thick, String key) {
    this(name, size, storageClass, owner, thick, key, null, false);
  }

  VolumeRecord grown(long bytes) {
    return new VolumeRecord(name, bytes, storageClass, owner, thick, key, asOf, ended);
  }

  VolumeRecord owner(String newOwner) {
    return new VolumeRecord(
        name, size, storageClass, newOwner, thick || newOwner.isEmpty(), key, asOf, ended);
  }

  VolumeRecord carried(String instant, boolean over) {
    return new VolumeRecord(name, size, storageClass, owner, thick, key, instant, over);
  }
}
