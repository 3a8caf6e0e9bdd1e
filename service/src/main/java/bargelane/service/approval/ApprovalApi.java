package bargelane.service.approval;

import bargelane.api.ApprovalAnswer;
import bargelane.api.ApprovalAsk;
import bargelane.api.ApprovalView;
import bargelane.core.account.Need;
import bargelane.service.http.Endpoints;
import bargelane.service.http.Reach;

/** Endpoints of approvals. */
public record ApprovalApi(Approvals approvals) implements Endpoints.Room {

  private static final int LONGEST = 16 << 10;

  @Override
  public void add(Endpoints e) {
    e.get("/approvals", "Approvals that were asked for, the newest first", Need.READ)
        .limited(Reach.NARROWED)
        .query("wave", "", "those of one wave; all if left out")
        .flag("open", "only those that nobody has answered")
        .lists(ApprovalView.class, r -> approvals.list(r.query("wave"), r.tows(), r.flag("open")));
    e.get("/approvals/{approval}", "One approval: what exactly it is of", Need.READ)
        .limited(Reach.APPROVAL)
        .gives(ApprovalView.class, r -> approvals.show(r.path("approval")));
    e.post(
            "/waves/{wave}/approvals",
            "Ask for a move of a wave, as it is planned now, to be approved",
            Need.PLAN,
            Need.MOVE)
        .limited(Reach.WAVE)
        .longest(LONGEST)
        .takes(ApprovalAsk.class)
        .creates(ApprovalView.class, (r, b) -> approvals.ask(r.path("wave"), b, r.by()));
    e.post("/approvals/{approval}/answer", "Approve or decline", Need.APPROVE)
        .limited(Reach.APPROVAL)
        .longest(LONGEST)
        .takes(ApprovalAnswer.class)
        .gives(ApprovalView.class, (r, b) -> approvals.answer(r.path("approval"), b, r.by()));
    e.delete("/approvals/{approval}", "Take back what was asked for", Need.PLAN, Need.MOVE)
        .limited(Reach.APPROVAL)
        .changes(r -> approvals.show(r.path("approval")))
        .gives(ApprovalView.class, r -> approvals.withdraw(r.path("approval"), r.by()));
  }
}
