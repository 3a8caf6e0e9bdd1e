package bargelane.service.move;

import bargelane.blocks.layout.LayoutException;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.blocks.refit.Guest;
import bargelane.blocks.refit.RefitPlan;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.ReplicaEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.replication.VolumeNames;
import bargelane.service.run.Work;
import bargelane.service.site.Ledger;
import bargelane.sites.SiteException;
import bargelane.sites.Target;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * Looks into the clones that a run made, by the service's own readers and, for what those do not
 * read, through a yard at the site.
 */
final class Looks {

  /** Room for what a yard copies: kernels and their initial RAM file systems above all. */
  private static final long COPIED_BYTES = 2L << 30;

  private final Services services;
  private final Moves moves;
  private final Landing landings;

  Looks(Services services, Moves moves, Landing landings) {
    this.services = services;
    this.moves = moves;
    this.landings = landings;
  }

  interface Use {
    RefitPlan with(Guest guest) throws IOException;
  }

  /** A plan, and whether a yard had to look for it. */
  record Looked(RefitPlan plan, boolean throughYard) {}

  /** The yard that looks into a machine's clones, and the volume that it writes. */
  static String yard(Work w, MemberEntity m) {
    return VolumeNames.yard(w.runId(), "look", m);
  }

  /**
   * Looks into the clones of one machine; what our own readers do not read is copied out of them by
   * a yard first, where the site has one.
   */
  Looked look(Work w, TowState state, MemberEntity m, Side side, Use use) {
    List<String> volumes = landings.cloneNames(w, state, m);
    List<String> hidden =
        moves.compute(state, side).looks()
            ? opened(w, state, m, side, volumes, disks -> Guest.look(disks).hidden())
            : List.of();
    if (hidden.isEmpty()) {
      return new Looked(
          opened(w, state, m, side, volumes, disks -> use.with(Guest.look(disks))), false);
    }
    String copied = yard(w, m);
    try {
      copy(w, state, m, side, hidden, copied);
      List<String> all = new ArrayList<>(volumes);
      all.add(copied);
      int last = volumes.size();
      return new Looked(
          opened(
              w,
              state,
              m,
              side,
              all,
              disks -> use.with(looked(disks.subList(0, last), disks.get(last)))),
          true);
    } catch (SiteException e) {
      if (e.kind() != SiteException.Kind.FINAL) {
        throw e;
      }
      // What our own readers see may be all that is needed: a yard that can't look is said.
      return new Looked(
          opened(w, state, m, side, volumes, disks -> use.with(Guest.look(disks)))
              .notJudged(e.getMessage()),
          true);
    } finally {
      services.ledger().remove(copying(state, side, copied));
    }
  }

  /** A guest with what the yard copied; a yard that wrote nonsense would write it again. */
  private static Guest looked(List<NbdClient> disks, NbdClient copied) throws IOException {
    try {
      return Guest.look(disks, Optional.of(copied));
    } catch (LayoutException e) {
      throw new SiteException(
          SiteException.Kind.FINAL,
          "yard-unreadable",
          "what the yard copied can't be read: " + e.getMessage(),
          e);
    }
  }

  /** What a look makes at a site: its yard, and the volume that it writes. */
  private static List<Ledger.Thing> copying(TowState state, Side side, String name) {
    return List.of(
        new Ledger.Thing(state.siteId(side), "machine", name),
        new Ledger.Thing(state.siteId(side), "volume", name));
  }

  private void copy(
      Work w, TowState state, MemberEntity m, Side side, List<String> hidden, String onto) {
    List<String> volumes = landings.cloneNames(w, state, m);
    // A look that was cut short may have left both, one half written and used by the other. A yard
    // alone was prepared for this.
    if (services.ledger().recorded(state.siteId(side), "volume", onto)) {
      services.ledger().remove(copying(state, side, onto));
    }
    String owner = services.ledger().plan(w.subjectId(), copying(state, side, onto));
    ReplicaEntity replica =
        state.replicas.stream().filter(r -> r.memberId.equals(m.id)).findFirst().orElseThrow();
    moves
        .driver(state, side)
        .target()
        .createVolume(onto, owner, COPIED_BYTES, replica.storage, replica.keyAt(side));
    moves.compute(state, side).look(onto, owner, volumes, hidden, onto);
  }

  private interface Opened<T> {
    T with(List<NbdClient> disks) throws IOException;
  }

  /** Opens volumes to be read, and closes them again. */
  private <T> T opened(
      Work w, TowState state, MemberEntity m, Side side, List<String> volumes, Opened<T> use) {
    Target target = moves.driver(state, side).target();
    List<NbdClient> disks = new ArrayList<>();
    try {
      for (String volume : volumes) {
        services.ledger().plan(state.siteId(side), w.subjectId(), "export", volume + "-look");
        disks.add(
            NbdClient.connect(
                NbdAddress.parse(target.openVolume(volume + "-look", volume, false).uri())));
      }
      return use.with(disks);
    } catch (IOException e) {
      throw new SiteException(
          SiteException.Kind.MAY_PASS,
          "disk-unreadable",
          "the disks of " + m.name + " can't be looked into: " + e.getMessage(),
          e);
    } finally {
      for (NbdClient disk : disks) {
        try {
          disk.close();
        } catch (IOException e) {
          // It is revoked next.
        }
      }
      volumes.forEach(v -> services.ledger().remove(state.siteId(side), "export", v + "-look"));
    }
  }
}
