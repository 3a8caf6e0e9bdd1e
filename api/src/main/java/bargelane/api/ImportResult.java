package bargelane.api;

import java.util.List;

/**
 * What became of a list that was read. All of it is stored, or nothing.
 *
 * @param rows that were read
 * @param added what was not known
 * @param changed what was known and is different now
 * @param gone what was known and is told of no more
 * @param stored whether it was stored; never if there are problems or it was a dry run
 * @param problems every bad line, in their order, up to the first thousand
 * @param problemCount how many there are
 */
public record ImportResult(
    int rows,
    int added,
    int changed,
    int gone,
    boolean stored,
    List<LineProblem> problems,
    int problemCount) {

  /** What is wrong in a line; lines are counted from 1, with the header. */
  public record LineProblem(long line, String column, String reason) {}
}
