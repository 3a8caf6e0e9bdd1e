package bargelane.client.approval;

import bargelane.api.ApprovalView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;

/** An approval for people. */
final class ApprovalPrinter {

  private ApprovalPrinter() {}

  static int print(Common c, Answer<ApprovalView> answer) {
    ApprovalView a = answer.value();
    if (c.output == Output.Form.json) {
      Output.json(c.out(), answer.json());
      return 0;
    }
    Output.pairs(
        c.out(),
        "Approval",
        a.id(),
        "Of",
        a.verb() + " of wave " + a.wave(),
        "Machines",
        Output.join(a.machines(), ", "),
        "State",
        a.state(),
        "Changed since",
        a.changed().isEmpty() ? "nothing" : Output.join(a.changed(), "; "),
        "Asked",
        "by " + a.askedBy() + ", " + Output.local(a.askedAt()),
        "Note",
        Output.plain(a.note()),
        "Answered",
        a.answeredBy() == null
            ? "not yet"
            : "by " + a.answeredBy() + ", " + Output.local(a.answeredAt()),
        "Reason",
        Output.plain(a.reason()));
    return 0;
  }
}
