package bargelane.service.move;

import bargelane.api.RefitEdit;
import bargelane.api.RefitView;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.blocks.refit.Card;
import bargelane.blocks.refit.FileEdit;
import bargelane.blocks.refit.Guest;
import bargelane.blocks.refit.Hardware;
import bargelane.blocks.refit.Refit;
import bargelane.blocks.refit.RefitPlan;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.net.Subnet;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.DeviceFamily;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Nic;
import bargelane.service.plan.Plans;
import bargelane.service.platform.Json;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.PointEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.run.Note;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Work;
import bargelane.service.site.Inventories;
import bargelane.service.site.Ledger;
import bargelane.service.site.Sites;
import bargelane.sites.SiteException;
import bargelane.sites.Target;
import com.fasterxml.jackson.core.type.TypeReference;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * Refits of a tow's guests: looking into the clones that a run made, and editing them before their
 * machines start. Only clones are edited, never a point or a replica.
 */
public final class Refits {

  private static final TypeReference<List<FileEdit>> EDITS = new TypeReference<>() {};

  /** Room for what a yard copies: kernels and their initial RAM file systems above all. */
  private static final long COPIED_BYTES = 2L << 30;

  private final Services services;
  private final Moves moves;
  private final Landing landings;

  Refits(Services services, Moves moves, Landing landings) {
    this.services = services;
    this.moves = moves;
    this.landings = landings;
  }

  private static Hardware hardware(TowState state, MemberEntity m, Side side) {
    MachineFacts facts = Plans.facts(state, m);
    DeviceFamily f =
        side == Side.HOME
            ? facts.devices()
            : Sites.capabilities(state.away).devices(facts.firmware());
    return new Hardware(f.disk(), f.nic(), facts.firmware());
  }

  /** A machine's network cards on the way to a side. */
  private List<Card> cards(TowState state, int member, Side side) {
    MachineFacts facts = Plans.facts(state, state.members.get(member));
    List<PlacedNic> placed =
        services.db().tx(s -> Plans.place(s, state)).get(member).placement().nics();
    Inventory inventory = services.db().tx(s -> new Inventories(s).of(state.site(side)));
    List<Card> cards = new ArrayList<>();
    for (int i = 0; i < facts.nics().size(); i++) {
      Nic home = facts.nics().get(i);
      PlacedNic away = placed.get(i);
      boolean out = side == Side.AWAY;
      Optional<Subnet> subnet =
          inventory
              .network(out ? away.network() : home.network())
              .flatMap(n -> Subnet.of(n.cidr()));
      String from = out ? home.address() : away.address();
      String to = subnet.isEmpty() ? "" : out ? away.address() : home.address();
      cards.add(
          new Card(
              home.mac(),
              from,
              to,
              subnet.map(Subnet::prefix).orElse(0),
              subnet.map(Subnet::netmask).orElse(""),
              subnet.map(Subnet::firstAddress).orElse("")));
    }
    return cards;
  }

  private interface Use {
    RefitPlan with(Guest guest) throws IOException;
  }

  /**
   * Looks into the clones of one machine; what our own readers do not read is copied out of them by
   * a yard first, where the site has one.
   */
  private RefitPlan look(Work w, TowState state, MemberEntity m, Side side, Use use) {
    List<String> volumes = landings.cloneNames(w, state, m);
    List<String> hidden =
        moves.compute(state, side).looks()
            ? opened(w, state, m, side, volumes, disks -> Guest.look(disks).hidden())
            : List.of();
    if (hidden.isEmpty()) {
      return opened(w, state, m, side, volumes, disks -> use.with(Guest.look(disks)));
    }
    String copied = "bl-" + w.runId() + "-look-" + m.name;
    try {
      copy(w, state, m, side, hidden, copied);
      List<String> all = new ArrayList<>(volumes);
      all.add(copied);
      int last = volumes.size();
      return opened(
          w,
          state,
          m,
          side,
          all,
          disks -> use.with(Guest.look(disks.subList(0, last), Optional.of(disks.get(last)))));
    } catch (SiteException e) {
      if (e.kind() != SiteException.Kind.FINAL) {
        throw e;
      }
      // What our own readers see may be all that is needed: a yard that can't look is said.
      return opened(w, state, m, side, volumes, disks -> use.with(Guest.look(disks)))
          .notJudged(e.getMessage());
    } finally {
      services.ledger().remove(copying(state, side, copied));
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
    // A look that was cut short may have left both, one half written and used by the other.
    services.ledger().remove(copying(state, side, onto));
    String owner = services.ledger().plan(w.subjectId(), copying(state, side, onto));
    String storage =
        state.replicas.stream()
            .filter(r -> r.memberId.equals(m.id))
            .findFirst()
            .orElseThrow()
            .storage;
    moves.driver(state, side).target().createVolume(onto, owner, COPIED_BYTES, storage);
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

  /** What one machine's clones need at a side. */
  private RefitPlan plan(Work w, TowState state, int index, Side side) {
    MemberEntity m = state.members.get(index);
    Hardware from = hardware(state, m, side.other());
    Hardware to = hardware(state, m, side);
    List<Card> cards = cards(state, index, side);
    Optional<RefitPlan> nothing = Refit.without(from, to, cards);
    if (nothing.isPresent()) {
      return nothing.get();
    }
    return look(
        w,
        state,
        m,
        side,
        guest -> {
          if (side == Side.HOME && m.refitMade != null) {
            Optional<RefitPlan> back = Refit.reverse(guest, Json.read(m.refitMade, EDITS));
            if (back.isPresent()) {
              return back.get();
            }
          }
          return Refit.plan(guest, from, to, cards);
        });
  }

  private void store(Work w, MemberEntity m, RefitPlan plan) {
    PointEntity point = moves.point(w);
    RefitView view =
        new RefitView(
            m.name,
            services.clock().instant(),
            point.number,
            plan.needed(),
            plan.os(),
            plan.firmware(),
            plan.summary(),
            plan.edits().stream()
                .map(
                    e ->
                        new RefitEdit(
                            e.disk(), e.partition(), e.path(), e.reason(), e.difference()))
                .toList(),
            plan.unjudged(),
            plan.refused(),
            "");
    services.db().run(s -> s.find(MemberEntity.class, m.id).refitPlan = Json.text(view));
  }

  /** Looks into every machine's clones and keeps what was found for review. */
  Outcome review(Work w, Side side) {
    TowState state = moves.state(w);
    List<String> told = new ArrayList<>();
    for (int i = 0; i < state.members.size(); i++) {
      RefitPlan plan = plan(w, state, i, side);
      store(w, state.members.get(i), plan);
      told.add(state.members.get(i).name + ": " + said(plan));
    }
    return Outcome.done(String.join("; ", told));
  }

  private static String said(RefitPlan plan) {
    return plan.refused().isEmpty()
        ? plan.summary()
        : plan.summary() + ": " + String.join(", ", plan.refused());
  }

  /** Edits every machine's clones as they need it at a side. */
  Outcome apply(Work w, Side side) {
    TowState state = moves.state(w);
    List<String> told = new ArrayList<>();
    for (int i = 0; i < state.members.size(); i++) {
      MemberEntity m = state.members.get(i);
      if (w.notes().get(MoveNotes.REFITS, m.id).isEmpty()) {
        w.put(MoveNotes.REFITS, m.id, apply(w, state, i, side));
      }
      List<FileEdit> made = w.need(MoveNotes.REFITS).get(m.id);
      told.add(
          m.name
              + ": "
              + (made.isEmpty()
                  ? "nothing changed"
                  : String.join(", ", made.stream().map(FileEdit::path).toList())));
    }
    return Outcome.done(String.join("; ", told));
  }

  private List<FileEdit> apply(Work w, TowState state, int index, Side side) {
    MemberEntity m = state.members.get(index);
    Note<String> planned = MoveNotes.edits(m.id);
    if (!w.has(planned)) {
      RefitPlan plan = plan(w, state, index, side);
      store(w, m, plan);
      if (!plan.refused().isEmpty() && m.refitWord.isEmpty()) {
        throw new RunFailure(
            "refit-refused",
            m.name
                + " is not expected to start at "
                + state.site(side).name
                + ": "
                + String.join("; ", plan.refused()),
            Remedy.of(
                "look at what is in the way; if you know better, give your word for it",
                Action.WAVE_REFIT,
                state.tow.name));
      }
      // Kept whole: a yard that was cut short is asked for the very same again.
      w.put(planned, Json.text(plan.edits()));
    }
    List<FileEdit> edits = Json.read(w.need(planned), EDITS);
    if (!edits.isEmpty()) {
      String yard = "bl-" + w.runId() + "-refit-" + m.name;
      String owner = services.ledger().plan(state.siteId(side), w.subjectId(), "machine", yard);
      try {
        moves.compute(state, side).refit(yard, owner, landings.cloneNames(w, state, m), edits);
      } finally {
        services.ledger().remove(state.siteId(side), "machine", yard);
      }
    }
    w.put(planned, "[]");
    return edits.stream().map(FileEdit::remembered).toList();
  }

  /** Keeps what a landing changed, so that the way back can take it back. */
  static void landed(org.hibernate.Session s, Work w, List<MemberEntity> members, Side winner) {
    for (MemberEntity m : members) {
      s.find(MemberEntity.class, m.id).refitMade =
          winner == Side.AWAY
              ? w.notes().get(MoveNotes.REFITS, m.id).map(Json::text).orElse(null)
              : null;
    }
  }

  /** What was last found, machine by machine. */
  static List<RefitView> views(TowState state) {
    return state.members.stream()
        .map(
            m -> {
              if (m.refitPlan == null) {
                return new RefitView(
                    m.name,
                    null,
                    0,
                    false,
                    "",
                    "",
                    "not looked into yet",
                    List.of(),
                    List.of(),
                    List.of(),
                    m.refitWord);
              }
              RefitView v = Json.read(m.refitPlan, RefitView.class);
              return new RefitView(
                  m.name,
                  v.lookedAt(),
                  v.point(),
                  v.needed(),
                  v.os(),
                  v.firmware(),
                  v.summary(),
                  v.edits(),
                  v.unjudged(),
                  v.refused(),
                  m.refitWord);
            })
        .toList();
  }
}
