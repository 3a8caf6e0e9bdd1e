package bargelane.service.run;

import java.io.Serializable;

/** Key of a step: its run and its place in it. */
public record StepId(String runId, int number) implements Serializable {}
