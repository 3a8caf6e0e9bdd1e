package bargelane.service.run;

import bargelane.core.run.RunState;
import bargelane.core.run.StepState;
import bargelane.service.platform.WordColumn;

/** How states of runs and of steps are stored. */
final class RunWords {

  private RunWords() {}

  static final class OfRun extends WordColumn<RunState> {
    OfRun() {
      super(RunState.class);
    }
  }

  static final class OfStep extends WordColumn<StepState> {
    OfStep() {
      super(StepState.class);
    }
  }
}
