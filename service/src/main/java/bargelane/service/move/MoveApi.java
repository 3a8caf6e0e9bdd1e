package bargelane.service.move;

import bargelane.api.ConfirmRequest;
import bargelane.api.ConsoleView;
import bargelane.api.CutoverRequest;
import bargelane.api.DossierView;
import bargelane.api.FailoverRequest;
import bargelane.api.LostRequest;
import bargelane.api.ProbeRequest;
import bargelane.api.ProbeView;
import bargelane.api.ReconcileRequest;
import bargelane.api.RefitOffer;
import bargelane.api.RefitOfferChoice;
import bargelane.api.RefitView;
import bargelane.api.RefitWord;
import bargelane.api.RunView;
import bargelane.api.TestRequest;
import bargelane.core.account.Need;
import bargelane.service.http.Endpoints;
import bargelane.service.http.Reach;
import java.util.List;

/** Endpoints of work on waves. */
public record MoveApi(
    MoveDesk desk, RefitWords refits, Probes probes, Dossiers dossiers, Consoles consoles)
    implements Endpoints.Room {

  @Override
  public void add(Endpoints e) {
    e.post("/waves/{wave}/load", "Begin replication", Need.MOVE)
        .limited(Reach.WAVE)
        .begins(RunView.class, r -> desk.load(r.path("wave"), r.by()));
    e.post("/waves/{wave}/test", "Test cutover in isolation", Need.MOVE)
        .limited(Reach.WAVE)
        .takes(TestRequest.class)
        .begins(RunView.class, (r, b) -> desk.test(r.path("wave"), b, r.by()));
    e.post("/runs/{run}/finish", "End a test that is held", Need.MOVE)
        .limited(Reach.RUN)
        .does(r -> desk.finish(r.path("run")));
    e.get("/runs/{run}/consoles", "Serial consoles of the machines that a run starts", Need.READ)
        .limited(Reach.RUN)
        .lists(ConsoleView.class, r -> consoles.of(r.path("run")));
    e.get("/waves/{wave}/refit", "What the guests need changed at the other side", Need.READ)
        .limited(Reach.WAVE)
        .lists(RefitView.class, r -> refits.refits(r.path("wave")));
    e.post(
            "/waves/{wave}/refit",
            "Look into the guests for what a refit would change",
            Need.PLAN,
            Need.MOVE)
        .limited(Reach.WAVE)
        .begins(RunView.class, r -> desk.refit(r.path("wave"), r.by()));
    e.put(
            "/waves/{wave}/refit",
            "Say that a machine may move though its guest can't be refitted",
            Need.MOVE)
        .limited(Reach.WAVE)
        .changes(r -> chosen(r.path("wave")))
        .takes(RefitWord.class)
        .lists(RefitView.class, (r, b) -> refits.refitWord(r.path("wave"), b, r.by()));
    e.put(
            "/waves/{wave}/refit/offers",
            "Have refits add something that a guest can do without",
            Need.PLAN,
            Need.MOVE)
        .limited(Reach.WAVE)
        .changes(r -> chosen(r.path("wave")))
        .takes(RefitOfferChoice.class)
        .lists(RefitView.class, (r, b) -> refits.choose(r.path("wave"), b, r.by()));
    e.get("/waves/{wave}/probes", "How it is seen that the machines do their work", Need.READ)
        .limited(Reach.WAVE)
        .lists(ProbeView.class, r -> probes.of(r.path("wave")));
    e.put(
            "/waves/{wave}/probes",
            "Choose how it is seen that a machine does its work",
            Need.PLAN,
            Need.MOVE)
        .limited(Reach.WAVE)
        .changes(r -> probes.of(r.path("wave")))
        .takes(ProbeRequest.class)
        .lists(ProbeView.class, (r, b) -> probes.choose(r.path("wave"), b, r.by()));
    e.post("/waves/{wave}/cutover", "Cutover", Need.MOVE)
        .limited(Reach.WAVE)
        .takes(CutoverRequest.class)
        .begins(RunView.class, (r, b) -> desk.cutover(r.path("wave"), b, r.by()));
    e.post("/waves/{wave}/failback", "Failback", Need.MOVE)
        .limited(Reach.WAVE)
        .takes(CutoverRequest.class)
        .begins(RunView.class, (r, b) -> desk.failback(r.path("wave"), b, r.by()));
    e.post("/waves/{wave}/failover", "Failover", Need.MOVE)
        .limited(Reach.WAVE)
        .takes(FailoverRequest.class)
        .begins(RunView.class, (r, b) -> desk.failover(r.path("wave"), b, r.by()));
    e.post("/waves/{wave}/reconcile", "Measure how two sides diverged, and keep one", Need.MOVE)
        .limited(Reach.WAVE)
        .takes(ReconcileRequest.class)
        .begins(RunView.class, (r, b) -> desk.reconcile(r.path("wave"), b, r.by()));
    e.post(
            "/waves/{wave}/declare-lost",
            "Say that a site will not be back while a run waits for it",
            Need.MOVE)
        .limited(Reach.WAVE)
        .takes(LostRequest.class)
        .does((r, b) -> desk.declareLost(r.path("wave"), b, r.by()));
    e.post("/waves/{wave}/undo", "Take the last move back", Need.MOVE)
        .limited(Reach.WAVE)
        .takes(ConfirmRequest.class)
        .begins(RunView.class, (r, b) -> desk.undo(r.path("wave"), b, r.by()));
    e.post("/waves/{wave}/settle", "Close the move", Need.MOVE)
        .limited(Reach.WAVE)
        .takes(ConfirmRequest.class)
        .begins(RunView.class, (r, b) -> desk.settle(r.path("wave"), b, r.by()));
    e.get("/dossiers", "Records of finished moves", Need.READ)
        .limited(Reach.NARROWED)
        .query("wave", "", "those of one wave; all if left out")
        .lists(DossierView.class, r -> dossiers.list(r.query("wave"), r.tows()));
  }

  /** What is chosen for a machine's refit before that is changed. */
  record Chosen(String machine, String word, List<RefitOffer> offers) {}

  private List<Chosen> chosen(String wave) {
    return refits.refits(wave).stream()
        .map(v -> new Chosen(v.machine(), v.word(), v.offers()))
        .toList();
  }
}
