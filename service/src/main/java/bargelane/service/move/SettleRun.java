package bargelane.service.move;

import bargelane.service.replication.Berth;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.Services;
import bargelane.service.replication.Side;
import bargelane.service.replication.TowState;
import bargelane.service.replication.Tows;
import bargelane.service.run.Outcome;
import bargelane.service.run.RunKind;
import bargelane.service.run.Step;
import bargelane.service.run.Work;
import bargelane.service.site.Ledger;
import bargelane.service.site.SiteObjectEntity;
import bargelane.sites.SiteDriver;
import bargelane.sites.Target.Owned;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Closes a move where the machines stand: what they run on becomes the site's own, everything else
 * of ours is removed on both sites, and then both are asked whether anything is left.
 */
final class SettleRun implements RunKind {

  private final Services services;
  private final Moves moves;

  SettleRun(Services services, Moves moves) {
    this.services = services;
    this.moves = moves;
  }

  @Override
  public String name() {
    return "settle";
  }

  @Override
  public boolean changesMachines() {
    return true;
  }

  @Override
  public Optional<String> holdsOn(Work work) {
    return Optional.of("what the move needed is being removed");
  }

  @Override
  public List<Step> steps(Work work) {
    return List.of(
        new Step("pause", "End the timetable", this::end),
        new Step("quiet", "Wait for the running pass", moves::quiet),
        new Step("release", "Hand the machines over to their site", this::release),
        new Step("remove", "Remove everything else", this::remove),
        new Step("look", "Ask both sites what is left", this::look),
        new Step("close", "Close the move", this::close));
  }

  private Outcome end(Work w) {
    // What another service keeps by now would go with what is removed here.
    services.custody().held(moves.state(w));
    services.db().run(s -> Tows.end(s, w.subjectId()));
    return Outcome.done("");
  }

  private Outcome release(Work w) {
    TowState state = moves.state(w);
    Side standing = state.standing();
    handOver(state, standing);
    if (standing == Side.AWAY) {
      // The machines at home were there before us: they stay, fenced, with the disks that they
      // have.
      handOver(state, Side.HOME);
    }
    return Outcome.done("at " + state.site(standing).name);
  }

  private void handOver(TowState state, Side side) {
    SiteDriver driver = moves.driver(state, side);
    String site = state.siteId(side);
    for (MemberEntity m : state.members) {
      Berth berth = TowState.berth(m, side).orElseThrow();
      for (String disk : berth.disks()) {
        driver.target().own(disk, "");
        services.ledger().release(site, "volume", disk);
      }
      driver.compute().ownMachine(berth.platformId(), "");
      services.ledger().release(site, "machine", berth.nameOf(m.name));
    }
  }

  private Outcome remove(Work w) {
    services
        .db()
        .run(
            s -> {
              Ledger.dropAll(s, w.subjectId());
              Tows.forgetCopies(s, w.subjectId());
            });
    services.ledger().sweep();
    List<SiteObjectEntity> left = services.db().tx(s -> Ledger.of(s, w.subjectId()));
    return left.isEmpty()
        ? Outcome.done("")
        : Outcome.waitFor(
            left.size()
                + " things left, such as "
                + left.get(0).kind
                + " "
                + left.get(0).name
                + ": "
                + left.get(0).problem);
  }

  private Outcome look(Work w) {
    TowState state = moves.state(w);
    List<String> left = new ArrayList<>();
    for (Side side : Side.values()) {
      for (Owned o :
          moves.driver(state, side).target().owned(services.ledger().owner(w.subjectId()))) {
        // The machine that was left stays fenced: it must never run beside the one that landed.
        if (!o.kind().equals("fence")) {
          left.add(o.kind() + " " + o.name() + " at " + state.site(side).name);
        }
      }
    }
    if (!left.isEmpty()) {
      return Outcome.waitFor("left: " + String.join(", ", left));
    }
    return Outcome.done("nothing of ours is left on either site");
  }

  private Outcome close(Work w) {
    TowState state = moves.state(w);
    services
        .db()
        .run(
            s -> {
              Tows.settle(s, state.tow.id, services.clock().instant());
              services
                  .events()
                  .tell(
                      s,
                      "settled",
                      w.subjectId(),
                      w.runId(),
                      state.tow.name + " is settled at " + state.site(state.standing()).name,
                      null);
            });
    Map<String, Object> record = new LinkedHashMap<>();
    record.put("kind", "settle");
    record.put("at", state.site(state.standing()).name);
    record.put("approvedBy", w.startedBy());
    moves.dossier(w, "settle", record);
    return Outcome.done("");
  }
}
