package bargelane.service.replication;

import java.util.List;

/**
 * Where a machine stands, or can stand, at a site.
 *
 * @param platformId the machine there
 * @param disks its volumes in boot order
 * @param name what we called the machine there; empty where that is its name at its source
 * @param previous the volumes it had before the last landing there; kept until the move is settled
 */
public record Berth(String platformId, List<String> disks, List<String> previous, String name) {
  public Berth {
    name = name == null ? "" : name;
  }

  /** A berth of a machine that is called as at its source. */
  public Berth(String platformId, List<String> disks, List<String> previous) {
    this(platformId, disks, previous, "");
  }

  /** What its machine is called there, of one that has a name at its source. */
  public String nameOf(String atSource) {
    return name.isEmpty() ? atSource : name;
  }
}
