package bargelane.sites;

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

  /** Takes the disks at one instant and begins a marker of the same name. */
  void snapshot(String name, String owner, List<String> disks);

  /** Offers one disk of a snapshot for reading, with what changed since a marker. */
  ExportRef openSnapshot(String export, String snapshot, String disk, Optional<String> since);

  /** Ends a snapshot; its marker stays. */
  void dropSnapshot(String name);

  /** Begins a marker on disks that nothing writes to at present. */
  void mark(String name, String owner, List<String> disks);

  /** Ends a marker. */
  void forgetMarker(String name);

  /** Names of the markers that still track. */
  Set<String> markers();
}
