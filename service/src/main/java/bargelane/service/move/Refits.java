package bargelane.service.move;

import bargelane.api.RefitEdit;
import bargelane.api.RefitOffer;
import bargelane.api.RefitView;
import bargelane.blocks.refit.Card;
import bargelane.blocks.refit.FileEdit;
import bargelane.blocks.refit.Hardware;
import bargelane.blocks.refit.Refit;
import bargelane.blocks.refit.RefitPlan;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.net.Subnet;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.DeviceFamily;
import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Nic;
import bargelane.core.wave.Proof;
import bargelane.service.plan.Plans;
import bargelane.service.platform.Json;
import bargelane.service.replication.LegEntity;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.PointEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.replication.VolumeNames;
import bargelane.service.run.Note;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunFailure;
import bargelane.service.run.Work;
import bargelane.service.site.Inventories;
import bargelane.service.site.Ledger;
import bargelane.service.site.Sites;
import bargelane.sites.SiteException;
import com.fasterxml.jackson.core.type.TypeReference;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.stream.IntStream;

/**
 * Refits of a tow's guests: looking into the clones that a run made, and editing them before their
 * machines start. Only clones are edited, never a point or a replica.
 */
public final class Refits {

  private static final TypeReference<List<FileEdit>> EDITS = new TypeReference<>() {};

  private final Services services;
  private final Moves moves;
  private final Landing landings;
  private final Looks looks;

  Refits(Services services, Moves moves, Landing landings) {
    this.looks = new Looks(services, moves, landings);
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
              facts.guest().cards().stream()
                  .filter(c -> c.mac().equalsIgnoreCase(home.mac()))
                  .map(GuestFacts.Card::name)
                  .toList(),
              from,
              to,
              subnet.map(Subnet::prefix).orElse(0),
              subnet.map(Subnet::netmask).orElse(""),
              subnet.map(Subnet::firstAddress).orElse("")));
    }
    return cards;
  }

  /**
   * Guests that are looked into or edited at once; each may have a machine for that at its site.
   */
  private static final int YARDS = 4;

  private static String editYard(Work w, MemberEntity m) {
    return VolumeNames.yard(w.runId(), "refit", m);
  }

  /**
   * Looks into the guests of the newest point while the machines still run: for what is in the way
   * of one, none is stopped.
   */
  Outcome lookFirst(Work w, Side side) {
    TowState state = moves.state(w);
    if (numbers(state).stream().allMatch(i -> unlooked(w, state, i, side).isPresent())) {
      return Outcome.done("");
    }
    LegEntity leg = moves.leg(w);
    if (services.db().tx(s -> TowState.newestPoint(s, leg)).isEmpty()) {
      return Outcome.done("there is no recovery point yet");
    }
    String run =
        w.makeOnce(
            MoveNotes.LOOK,
            s -> RefitRun.start(s, services.runs(), state, w.runId(), w.startedBy()));
    Optional<Outcome.Wait> open = moves.awaited(run, Outcome.LOOK_AGAIN);
    if (open.isPresent()) {
      return open.get();
    }
    TowState now = moves.state(w);
    for (MemberEntity m : now.members) {
      refuse(now, m, side, lastView(m).refused());
    }
    return Outcome.done(
        String.join(
            "; ", now.members.stream().map(m -> m.name + ": " + lastView(m).summary()).toList()));
  }

  /** Ends a run for what is in the way of a guest, unless somebody gave his word for it. */
  private static void refuse(TowState state, MemberEntity m, Side side, List<String> refused) {
    if (!refused.isEmpty() && m.refitWord.isEmpty()) {
      throw new RunFailure(
          "refit-refused",
          m.name
              + " is not expected to start at "
              + state.site(side).name
              + ": "
              + String.join("; ", refused),
          Remedy.of(
              "look at what is in the way; if you know better, give your word for it",
              Action.WAVE_REFIT,
              state.tow.name));
    }
  }

  /** The plan for a guest that need not be looked into; none if it must be. */
  private Optional<RefitPlan> unlooked(Work w, TowState state, int index, Side side) {
    MemberEntity m = state.members.get(index);
    return offers(w, m).isEmpty()
        ? Refit.without(
            hardware(state, m, side.other()), hardware(state, m, side), cards(state, index, side))
        : Optional.empty();
  }

  /**
   * Starts the yards that will be wanted while the machines are stopped, as far as the last look
   * tells. It is a help only: a yard that can't be started now is started when it is needed.
   */
  Outcome prepare(Work w, Side side) {
    TowState state = moves.state(w);
    if (!moves.compute(state, side).looks()) {
      return Outcome.done("");
    }
    List<MemberEntity> wanted =
        state.members.stream().filter(m -> m.refitPlan != null && lastView(m).needed()).toList();
    List<String> told = new ArrayList<>();
    Together.each(
        wanted.subList(0, Math.min(YARDS, wanted.size())),
        YARDS,
        m -> {
          List<String> names = new ArrayList<>(List.of(editYard(w, m)));
          if (lastView(m).throughYard()) {
            names.add(Looks.yard(w, m));
          }
          for (String name : names) {
            String owner =
                services.ledger().plan(state.siteId(side), w.subjectId(), "machine", name);
            try {
              moves.compute(state, side).prepareYard(name, owner);
            } catch (SiteException e) {
              synchronized (told) {
                told.add(e.getMessage());
              }
            }
          }
        });
    return Outcome.done(
        told.isEmpty() ? "" : "they are started when they are needed: " + String.join("; ", told));
  }

  /** Removes the yards that were prepared, used or not. */
  Outcome dropYards(Work w, Side side) {
    TowState state = moves.state(w);
    List<Ledger.Thing> yards = new ArrayList<>();
    for (MemberEntity m : state.members) {
      yards.add(new Ledger.Thing(state.siteId(side), "machine", editYard(w, m)));
      yards.add(new Ledger.Thing(state.siteId(side), "machine", Looks.yard(w, m)));
    }
    services.ledger().remove(yards);
    return Outcome.done("");
  }

  private static RefitView lastView(MemberEntity m) {
    return Json.read(m.refitPlan, RefitView.class);
  }

  /** What one machine's clones need at a side. */
  private Looks.Looked plan(Work w, TowState state, int index, Side side) {
    MemberEntity m = state.members.get(index);
    Optional<RefitPlan> nothing = unlooked(w, state, index, side);
    if (nothing.isPresent()) {
      return new Looks.Looked(nothing.get(), false);
    }
    Hardware from = hardware(state, m, side.other());
    Hardware to = hardware(state, m, side);
    List<Card> cards = cards(state, index, side);
    return looks.look(
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
          return Refit.plan(guest, from, to, cards, offers(w, m));
        });
  }

  private void store(Work w, MemberEntity m, Looks.Looked looked) {
    RefitPlan plan = looked.plan();
    PointEntity point = moves.point(w);
    RefitView view =
        new RefitView(
            m.name,
            services.clock().instant(),
            point.number,
            plan.needed(),
            plan.os(),
            plan.firmware(),
            looked.throughYard(),
            plan.summary(),
            plan.edits().stream()
                .map(
                    e ->
                        new RefitEdit(
                            e.disk(), e.partition(), e.path(), e.reason(), e.difference()))
                .toList(),
            plan.unjudged(),
            plan.refused(),
            plan.offers().stream().map(o -> new RefitOffer(o.name(), o.what(), false)).toList(),
            "");
    services.db().run(s -> s.find(MemberEntity.class, m.id).refitPlan = Json.text(view));
  }

  /** Looks into every machine's clones and keeps what was found for review. */
  Outcome review(Work w, Side side) {
    TowState state = moves.state(w);
    String[] told = new String[state.members.size()];
    Together.each(
        numbers(state),
        YARDS,
        i -> {
          Looks.Looked looked = plan(w, state, i, side);
          store(w, state.members.get(i), looked);
          told[i] = state.members.get(i).name + ": " + said(looked.plan());
        });
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
    Map<String, List<FileEdit>> before = w.get(MoveNotes.REFITS).orElse(Map.of());
    Together.each(
        numbers(state).stream().filter(i -> !before.containsKey(state.members.get(i).id)).toList(),
        YARDS,
        i -> w.put(MoveNotes.REFITS, state.members.get(i).id, apply(w, state, i, side)));
    dropYards(w, side);
    List<String> told = new ArrayList<>();
    for (MemberEntity m : state.members) {
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

  /** The members by their places in the list. */
  private static List<Integer> numbers(TowState state) {
    return IntStream.range(0, state.members.size()).boxed().toList();
  }

  private List<FileEdit> apply(Work w, TowState state, int index, Side side) {
    MemberEntity m = state.members.get(index);
    Note<String> planned = MoveNotes.edits(m.id);
    if (!w.has(planned)) {
      Looks.Looked looked = plan(w, state, index, side);
      RefitPlan plan = looked.plan();
      store(w, m, looked);
      refuse(state, m, side, plan.refused());
      // Kept whole: a yard that was cut short is asked for the very same again.
      w.put(planned, Json.text(plan.edits()));
    }
    List<FileEdit> edits = Json.read(w.need(planned), EDITS);
    if (!edits.isEmpty()) {
      String yard = editYard(w, m);
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
                    false,
                    "not looked into yet",
                    List.of(),
                    List.of(),
                    List.of(),
                    List.of(),
                    m.refitWord);
              }
              RefitView v = lastView(m);
              return new RefitView(
                  m.name,
                  v.lookedAt(),
                  v.point(),
                  v.needed(),
                  v.os(),
                  v.firmware(),
                  v.throughYard(),
                  v.summary(),
                  v.edits(),
                  v.unjudged(),
                  v.refused(),
                  offers(v, m),
                  m.refitWord);
            })
        .toList();
  }

  /** What is added to a guest: of a test what it began with, since that is what it proves. */
  private static List<String> offers(Work w, MemberEntity m) {
    return w.get(MoveNotes.TRIED)
        .flatMap(tried -> Optional.ofNullable(tried.get(m.id)))
        .map(Proof::offers)
        .orElseGet(() -> Plans.offers(m));
  }

  /** A look of before has told of none. */
  private static List<RefitOffer> offers(RefitView v, MemberEntity m) {
    List<String> accepted = Plans.offers(m);
    return Objects.requireNonNullElse(v.offers(), List.<RefitOffer>of()).stream()
        .map(o -> new RefitOffer(o.name(), o.what(), accepted.contains(o.name())))
        .toList();
  }
}
