package bargelane.sites;

import java.time.Duration;
import java.util.List;
import java.util.Optional;
import java.util.Set;

/**
 * A site as the side that is read. Obligations of every implementation:
 *
 * <ul>
 *   <li>Nothing here fails or indefinitely slows a write of a guest; a snapshot whose room runs out
 *       is dropped.
 *   <li>{@link #snapshot} takes all named disks at one instant, as wide as the site's declared
 *       reach.
 *   <li>Names come from the caller; creating the same name again, or removing one that is gone,
 *       does nothing.
 *   <li>A marker begins at the instant of the snapshot of its name. Changes told since a marker may
 *       be too many, never too few; if that can't be promised the call fails with kind {@code
 *       MARKER_LOST}.
 * </ul>
 */
public interface Source extends Exporter {

  Duration LONGEST_HOLD = Duration.ofSeconds(10);

  /**
   * How a snapshot was taken.
   *
   * @param quiesced whether the guest's file systems were at rest
   * @param held how long the guest's writes waited for it; zero for one that was taken earlier
   */
  record Taken(boolean quiesced, Duration held) {
    public static final Taken AT_ONCE = new Taken(false, Duration.ZERO);
  }

  /**
   * Takes the disks at one instant and begins a marker of the same name, where the platform can
   * track at all. Platforms that must know when a snapshot is taken which changes will be asked of
   * it are told by {@code since}; if those can't be told this fails with kind {@code MARKER_LOST}
   * and nothing is taken. A disk can be in fewer snapshots at a time than are asked for: then this
   * fails with kind {@code MAY_PASS}.
   *
   * @param quiesce whether the guest, if it can, is to hold its writes for that instant, so that
   *     its file systems need no repair afterwards; a guest is never held for longer than {@link
   *     #LONGEST_HOLD}, whatever becomes of us
   */
  Taken snapshot(
      String name, String owner, List<String> disks, Optional<String> since, boolean quiesce);

  /**
   * Offers one disk of a snapshot for reading, with what changed since a marker: the one that the
   * snapshot was taken against, or none. The offer ends with the snapshot at the latest.
   */
  ExportRef openSnapshot(String export, String snapshot, String disk, Optional<String> since);

  /** Ends a snapshot; its marker stays. */
  void dropSnapshot(String name);

  /** Begins a marker on the disks of a machine that is off. */
  void mark(String name, String owner, List<String> disks);

  /** Ends a marker. */
  void forgetMarker(String name);

  /**
   * Names of the markers that track, as far as can be told without using them; one that broke may
   * be told of only when a snapshot is taken against it.
   */
  Set<String> markers();
}
