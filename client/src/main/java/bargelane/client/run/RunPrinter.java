package bargelane.client.run;

import bargelane.api.RunView;
import bargelane.api.StepView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Remedies;

/** A run for people. */
final class RunPrinter {

  private RunPrinter() {}

  /** Prints; 1 if the run failed. */
  static int print(Common c, Answer<RunView> answer) {
    RunView run = answer.value();
    if (c.output == Output.Form.json) {
      Output.json(c.out(), answer.json());
    } else {
      c.out().println(run.title() + " (" + run.id() + "): " + run.state());
      Output.rows(
          c.out(),
          Output.Form.table,
          run.steps(),
          "No steps.",
          Output.number("NO", StepView::number),
          Output.text("STATE", StepView::state),
          Output.text("STEP", StepView::title),
          Output.time("STARTED", StepView::startedAt),
          Output.text("DETAIL", StepView::detail));
      if (run.problem() != null && run.problem().code().equals("stopped")) {
        c.out().println("Stopped: " + run.problem().detail());
      } else if (run.problem() != null) {
        c.out().println("Failed: " + run.problem().detail());
        c.out().println("Next:   " + Remedies.text(run.problem().remedy()));
      }
    }
    return run.state().equals("failed") ? 1 : 0;
  }
}
