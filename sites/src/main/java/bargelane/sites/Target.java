package bargelane.sites;

import bargelane.core.site.Inventory.CarriedVolume;
import java.util.List;
import java.util.Optional;

/**
 * A site as the side that is written. Obligations of every implementation:
 *
 * <ul>
 *   <li>A point is immutable and complete: it holds every volume it was frozen from, as they were
 *       at one moment when nobody wrote.
 *   <li>Freezing a volume that a machine holds may leave the machine unable to start until the
 *       point is gone; any other volume can be written again at once.
 *   <li>A clone begins as its point and may be written without changing it.
 *   <li>Deleting a point changes no other point, volume or clone.
 *   <li>Names come from the caller; creating the same name again, or removing one that is gone,
 *       does nothing.
 *   <li>Everything made here carries the caller's owner tag until it is released.
 * </ul>
 */
public interface Target extends Exporter {

  /** Something at the site that carries an owner tag. */
  record Owned(String kind, String id, String name, String owner) {}

  /** A point at the site and its volumes. */
  record PointRef(String name, String owner, List<String> volumes) {}

  /**
   * Makes a blank volume of {@code bytes}. Its clones keep its key.
   *
   * @param key that the site encrypts it with; empty for the site's own way
   */
  void createVolume(String name, String owner, long bytes, String storage, String key);

  /**
   * A volume of the site that a storage system fills, as it is now; empty where there is none of
   * that name, or the platform tells of none.
   */
  default Optional<CarriedVolume> carried(String volume) {
    return Optional.empty();
  }

  /** Makes a volume that begins as one volume of a point. */
  void cloneVolume(String name, String owner, String storage, String point, String volume);

  /** Makes a volume larger; the new bytes are zero. One that is as large already stays. */
  void growVolume(String name, long bytes);

  /** Removes a volume that no machine uses; its points stay. */
  void deleteVolume(String name);

  /** Offers a volume. */
  ExportRef openVolume(String export, String volume, boolean write);

  /**
   * Offers a volume as a point holds it, to be read. Whoever removes the point meanwhile ends the
   * offer or waits for its end.
   */
  ExportRef openFrozen(String export, String point, String volume);

  /** Freezes volumes into a point. */
  void freeze(String point, String owner, List<String> volumes);

  /** Removes a point and what only it needed. */
  void deletePoint(String point);

  /** Points whose owner begins so. */
  List<PointRef> points(String ownerPrefix);

  /** Lays a small file beside a point, replacing one of the same name. */
  void attach(String point, String file, byte[] content);

  /** Bytes that are read of a file beside a point; some KiB a machine are in use. */
  int LONGEST_ATTACHMENT = 16 << 20;

  /**
   * Reads a small file beside a point; empty if there is none.
   *
   * @throws SiteException that is final, with the code {@code attachment-long}, if it has more than
   *     {@link #LONGEST_ATTACHMENT} bytes; no more of it is read
   */
  Optional<byte[]> attachment(String point, String file);

  /** Sets a volume's owner tag; the empty one makes it the site's own. */
  void own(String volume, String owner);

  /** The refusal of a file that is too long to be one of ours. */
  static SiteException longAttachment(String site, String point, String file) {
    return new SiteException(
        SiteException.Kind.FINAL,
        "attachment-long",
        site
            + ": the file "
            + file
            + " beside the point "
            + point
            + " has more than "
            + (LONGEST_ATTACHMENT >> 20)
            + " MiB",
        null);
  }

  /** Everything whose owner begins so. */
  List<Owned> owned(String ownerPrefix);
}
