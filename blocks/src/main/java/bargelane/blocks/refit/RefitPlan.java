package bargelane.blocks.refit;

import java.util.ArrayList;
import java.util.List;

/**
 * What must change in a guest so that it starts on other hardware and answers on other networks.
 *
 * @param needed whether anything at all must change; where not, {@code summary} says why
 * @param edits in the order in which they are made
 * @param unjudged what could not be looked into or decided, and matters
 * @param refused why the guest is not expected to start there; empty if it is
 * @param offers what could be added to it besides, whether it is among the edits or not
 */
public record RefitPlan(
    boolean needed,
    String os,
    String firmware,
    String summary,
    List<FileEdit> edits,
    List<String> unjudged,
    List<String> refused,
    List<Offer> offers) {

  /** The same, with one more thing that could not be judged. */
  public RefitPlan notJudged(String what) {
    List<String> more = new ArrayList<>(unjudged);
    more.add(what);
    return new RefitPlan(needed, os, firmware, summary, edits, List.copyOf(more), refused, offers);
  }
}
