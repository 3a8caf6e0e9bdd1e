package bargelane.service.replication;

import com.fasterxml.jackson.annotation.JsonInclude;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;

/**
 * Where a machine stands, or can stand, at a site.
 *
 * @param platformId the machine there
 * @param name what we called the machine there; empty where that is its name at its source
 * @param disks its volumes that are copied, in boot order
 * @param previous the volumes it had before the last landing there; kept until the move is settled
 * @param attached all of its volumes in their order, with those that are left out of what is
 *     copied; empty where there are none
 * @param carried those of them that a storage system filled, by the volume that each was at the
 *     machine's source
 */
public record Berth(
    String platformId,
    List<String> disks,
    List<String> previous,
    String name,
    @JsonInclude(JsonInclude.Include.NON_EMPTY) List<String> attached,
    @JsonInclude(JsonInclude.Include.NON_EMPTY) Map<String, String> carried) {
  public Berth {
    name = name == null ? "" : name;
    // One that a manifest tells may name others than its disks: it says nothing then.
    boolean said = attached != null && disks != null && attached.containsAll(disks);
    attached = said && !attached.equals(disks) ? List.copyOf(attached) : List.of();
    carried = carried == null ? Map.of() : carried;
  }

  /** A berth of a machine none of whose disks a storage system filled. */
  public Berth(
      String platformId,
      List<String> disks,
      List<String> previous,
      String name,
      List<String> attached) {
    this(platformId, disks, previous, name, attached, Map.of());
  }

  /** A berth of a machine that is called as at its source, and has no disk that is left out. */
  public Berth(String platformId, List<String> disks, List<String> previous) {
    this(platformId, disks, previous, "", List.of());
  }

  /** All volumes that its machine has, in their order. */
  public List<String> all() {
    return attached.isEmpty() ? disks : attached;
  }

  /** Volumes of its machine that are left out of what is copied. */
  public List<String> leftOut() {
    return attached.stream().filter(v -> !disks.contains(v)).toList();
  }

  /**
   * The same machine with one more disk that is copied. Copies are numbered without gaps: those
   * that have none, since they stayed behind when an older point landed elsewhere, come after it.
   *
   * @param copies disks that have a copy: the first of its disks
   */
  Berth taking(String volume, int copies) {
    List<String> more = without(disks, volume);
    more.add(copies, volume);
    return new Berth(platformId, more, previous, name, with(volume), carried);
  }

  /** The same machine with a disk left out that has no copy. */
  Berth leaving(String volume) {
    return new Berth(platformId, without(disks, volume), previous, name, with(volume), carried);
  }

  private List<String> with(String volume) {
    List<String> every = new ArrayList<>(all());
    if (!every.contains(volume)) {
      every.add(volume);
    }
    return every;
  }

  private static List<String> without(List<String> volumes, String volume) {
    List<String> others = new ArrayList<>(volumes);
    others.remove(volume);
    return others;
  }

  /** What its machine is called there, of one that has a name at its source. */
  public String nameOf(String atSource) {
    return name.isEmpty() ? atSource : name;
  }
}
