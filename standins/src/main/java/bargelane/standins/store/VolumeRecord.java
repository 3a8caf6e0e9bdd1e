package bargelane.standins.store;

/**
 * What is stored about a volume.
 *
 * @param storageClass name of the platform's storage or class it lies in
 * @param owner the creator's tag, empty for the platform's own
 * @param thick room was set aside when it was made, so that its writes never find the storage full
 */
public record VolumeRecord(
    String name, long size, String storageClass, String owner, boolean thick) {
  VolumeRecord grown(long bytes) {
    return new VolumeRecord(name, bytes, storageClass, owner, thick);
  }

  VolumeRecord owner(String newOwner) {
    return new VolumeRecord(name, size, storageClass, newOwner, thick || newOwner.isEmpty());
  }
}
