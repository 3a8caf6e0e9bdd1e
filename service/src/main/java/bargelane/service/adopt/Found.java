package bargelane.service.adopt;

import bargelane.core.replication.Direction;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.service.replication.Berth;
import bargelane.service.replication.Manifest;
import bargelane.service.replication.Side;
import bargelane.sites.Target.Owned;
import bargelane.sites.Target.PointRef;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.Stream;

/**
 * A tow of another service at a site.
 *
 * @param owner the tag of its things
 * @param points those that can be read, the oldest first
 * @param unread why others can't
 * @param things all that carries its tag
 * @param standing machines at the site that are its, by member
 */
record Found(
    String tow,
    String owner,
    List<Point> points,
    List<String> unread,
    List<Owned> things,
    Map<String, MachineFacts> standing) {

  /** A point with its manifest. */
  record Point(PointRef ref, Manifest manifest) {}

  /** By leg and number: clocks may have stepped back. */
  static final Comparator<Point> ORDER =
      Comparator.<Point>comparingInt(p -> p.manifest.leg().number())
          .thenComparingInt(p -> p.manifest.point())
          .thenComparing(p -> p.manifest.asOf());

  /**
   * Takes out what can't be beside newer points: a leg has one number, and a number one leg.
   *
   * @param points the oldest first
   * @return what is told of those that were taken out
   */
  static List<String> withoutContradictions(List<Point> points) {
    Map<Integer, String> ids = new HashMap<>();
    Map<String, Integer> numbers = new HashMap<>();
    List<String> out = new ArrayList<>();
    for (int i = points.size() - 1; i >= 0; i--) {
      Manifest.Leg leg = points.get(i).manifest.leg();
      String id = ids.putIfAbsent(leg.number(), leg.id());
      Integer number = numbers.putIfAbsent(leg.id(), leg.number());
      if (id != null && !id.equals(leg.id()) || number != null && number != leg.number()) {
        out.add("point " + points.remove(i).ref.name() + ": a newer one tells its leg differently");
      }
    }
    return out;
  }

  Manifest newest() {
    return points.get(points.size() - 1).manifest;
  }

  /** Which end of its lane the site is. */
  Side side() {
    return side(newest());
  }

  private static Side side(Manifest m) {
    return m.leg().way() == Direction.OUT ? Side.AWAY : Side.HOME;
  }

  /** The shore that is not the site that was looked at. */
  Manifest.Shore lost() {
    return side() == Side.AWAY ? newest().home() : newest().away();
  }

  /** The highest epoch under which a point of it was made. */
  long epoch() {
    return points.stream().mapToLong(p -> p.manifest.epoch()).max().orElse(0);
  }

  /** Its service's identity. */
  String service() {
    return owner.split("/")[1];
  }

  /** What people call it. */
  String name() {
    return points.isEmpty() ? tow : newest().wave();
  }

  /** Where a machine stands, or can stand, at the site by the manifest. */
  private static Optional<Berth> berth(Manifest.Machine m, Side side) {
    return Optional.ofNullable(side == Side.HOME ? m.home() : m.away());
  }

  /** The machines at a site that are a tow's: by its berth, or by its tag and their name. */
  static Map<String, MachineFacts> standing(Manifest newest, String tow, List<MachineFacts> there) {
    Map<String, MachineFacts> standing = new HashMap<>();
    for (Manifest.Machine m : newest.machines()) {
      String berth = berth(m, side(newest)).map(Berth::platformId).orElse("");
      there.stream()
          .filter(
              x ->
                  x.platformId().equals(berth)
                      || x.owner().endsWith("/" + tow) && x.name().equals(m.name()))
          .findFirst()
          .ifPresent(x -> standing.put(m.id(), x));
    }
    return standing;
  }

  /** Machines that run at the site. */
  List<String> running() {
    return standing.values().stream().filter(MachineFacts::on).map(MachineFacts::name).toList();
  }

  /** Whether all of its machines run at the site. */
  boolean runsHere() {
    return !points.isEmpty() && running().size() == newest().machines().size();
  }

  /** Machines at the site that a move made and left switched off, in no berth that is known. */
  List<MachineFacts> strays() {
    return newest().machines().stream()
        .filter(m -> berth(m, side()).isEmpty())
        .map(m -> standing.get(m.id()))
        .filter(x -> x != null && !x.on())
        .toList();
  }

  /** The volumes that later passes write. */
  Set<String> replicas() {
    return newest().machines().stream()
        .flatMap(m -> m.disks().stream())
        .flatMap(d -> Stream.of(d.replica(), d.replicaDigests()))
        .filter(v -> !v.isEmpty())
        .collect(Collectors.toSet());
  }

  /** Its things that some machines are. */
  List<Owned> machines(Collection<MachineFacts> which) {
    Set<String> ids = which.stream().map(MachineFacts::platformId).collect(Collectors.toSet());
    return things.stream().filter(o -> o.kind().equals("machine") && ids.contains(o.id())).toList();
  }

  /** Its things that some machines run on: themselves and their disks. */
  List<Owned> running(Collection<MachineFacts> which) {
    Set<String> disks =
        which.stream()
            .flatMap(x -> x.disks().stream())
            .map(Inventory.Disk::volume)
            .collect(Collectors.toSet());
    return Stream.concat(
            machines(which).stream(),
            things.stream()
                .filter(o -> o.kind().equals("volume") && disks.contains(o.name()) && !isKept(o)))
        .toList();
  }

  /** Things that are recorded when it is taken over: its points, and the copies. */
  boolean isKept(Owned o) {
    return o.kind().equals("point") && points.stream().anyMatch(p -> p.ref.name().equals(o.name()))
        || o.kind().equals("volume") && replicas().contains(o.name());
  }
}
