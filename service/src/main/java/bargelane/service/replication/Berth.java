package bargelane.service.replication;

import com.fasterxml.jackson.annotation.JsonInclude;
import java.util.ArrayList;
import java.util.List;

/**
 * Where a machine stands, or can stand, at a site.
 *
 * @param platformId the machine there
 * @param name what we called the machine there; empty where that is its name at its source
 * @param disks its volumes that are copied, in boot order
 * @param previous the volumes it had before the last landing there; kept until the move is settled
 * @param attached all of its volumes in their order, with those that are left out of what is
 *     copied; empty where there are none
 */
public record Berth(
    String platformId,
    List<String> disks,
    List<String> previous,
    String name,
    @JsonInclude(JsonInclude.Include.NON_EMPTY) List<String> attached) {
  public Berth {
    name = name == null ? "" : name;
    // One that a manifest tells may name others than its disks: it says nothing then.
    boolean said = attached != null && disks != null && attached.containsAll(disks);
    attached = said && !attached.equals(disks) ? List.copyOf(attached) : List.of();
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

  /** The same machine with one more disk that is copied, the last of them. */
  Berth taking(String volume) {
    List<String> more = new ArrayList<>(disks);
    more.add(volume);
    List<String> every = new ArrayList<>(attached);
    if (!every.isEmpty() && !every.contains(volume)) {
      every.add(volume);
    }
    return new Berth(platformId, more, previous, name, every);
  }

  /** The same machine with one more disk that is left out. */
  Berth leaving(String volume) {
    List<String> every = new ArrayList<>(all());
    every.add(volume);
    return new Berth(platformId, disks, previous, name, every);
  }

  /** What its machine is called there, of one that has a name at its source. */
  public String nameOf(String atSource) {
    return name.isEmpty() ? atSource : name;
  }
}
