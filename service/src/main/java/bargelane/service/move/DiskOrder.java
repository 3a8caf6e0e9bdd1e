package bargelane.service.move;

import bargelane.core.site.Inventory;
import bargelane.service.replication.Berth;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.run.Work;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Which disks a machine has when it lands, and in which order: the clones of what was copied, what
 * was left out or attached since, and what a storage system carried.
 */
final class DiskOrder {

  private final Moves moves;

  DiskOrder(Moves moves) {
    this.moves = moves;
  }

  /**
   * Disks that a machine has at its source beyond those that come back: they never left, since the
   * point that landed elsewhere was older than they are.
   */
  static List<String> staying(Berth berth, Side side, int back) {
    List<String> disks = berth.disks();
    return side == Side.HOME && back < disks.size() ? disks.subList(back, disks.size()) : List.of();
  }

  /** Volumes that a machine has before this run gives it others, in its order. */
  List<String> before(Work w, TowState state, Side side, MemberEntity m, Berth berth) {
    Optional<List<String>> noted = w.notes().get(MoveNotes.ORDER, m.id);
    if (noted.isPresent()) {
      return noted.get();
    }
    List<String> now =
        moves.compute(state, side).machine(berth.platformId()).disks().stream()
            .map(Inventory.Disk::volume)
            .toList();
    List<String> order =
        now.containsAll(berth.disks())
            ? now
            : berth.all().stream()
                .filter(v -> berth.disks().contains(v) || now.contains(v))
                .toList();
    w.put(MoveNotes.ORDER, m.id, order);
    return order;
  }

  /**
   * What a machine has when its disks come back, each in the place of the one that it follows. What
   * is not copied stays where it is.
   *
   * @param order what it has before
   * @param copied those of it that are copied
   * @param back the disks that come back
   * @param stay those that are copied and never left
   */
  private static List<String> attached(
      List<String> order, List<String> copied, List<String> back, List<String> stay) {
    List<String> all = new ArrayList<>();
    for (String volume : order) {
      int disk = copied.indexOf(volume);
      if (disk >= 0 && disk < back.size()) {
        all.add(back.get(disk));
      } else if (disk < 0 || stay.contains(volume)) {
        all.add(volume);
      }
    }
    all.addAll(back.subList(Math.min(back.size(), copied.size()), back.size()));
    return all;
  }

  /**
   * All that a machine has after a landing: clones, what stays, and what a storage system carried.
   *
   * @param before its berth there; none if it is made
   * @param order what it has before
   */
  static List<String> having(
      Work w,
      MemberEntity m,
      Side side,
      Optional<Berth> before,
      List<String> order,
      List<String> clones,
      List<String> stay) {
    Map<String, String> carried = side == Side.AWAY ? Carrying.volumes(w, m) : Map.of();
    List<String> all =
        before
            .map(b -> attached(withoutFormer(order, b, carried), b.disks(), clones, stay))
            .orElse(clones);
    return carried.isEmpty() ? all : withCarried(m, all, clones, carried);
  }

  /** Without what was carried to a machine at its landing before, and is not any more. */
  private static List<String> withoutFormer(
      List<String> order, Berth before, Map<String, String> carried) {
    return order.stream()
        .filter(v -> !before.carried().containsValue(v) || carried.containsValue(v))
        .toList();
  }

  /** A machine's disks with those that are carried in their places among its clones. */
  static List<String> withCarried(
      MemberEntity m, List<String> all, List<String> clones, Map<String, String> carried) {
    Berth home = TowState.berth(m, Side.HOME).orElseThrow();
    Map<String, String> copies = new HashMap<>();
    for (int i = 0; i < Math.min(clones.size(), home.disks().size()); i++) {
      copies.put(home.disks().get(i), clones.get(i));
    }
    return Carrying.with(all, home.all(), copies, carried);
  }

  /** What a machine had before, without what was attached to it and nobody decided about. */
  static List<String> known(Work w, MemberEntity m, Berth before) {
    return w.notes().get(MoveNotes.ORDER, m.id).orElse(before.all()).stream()
        .filter(before.all()::contains)
        .toList();
  }
}
