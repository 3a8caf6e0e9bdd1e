package bargelane.api;

import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * What an estate file changes. All of it is done, or nothing.
 *
 * @param done whether it was done; never if there are conflicts or problems
 * @param state what was compared: an import with it does this, or nothing
 * @param base by which the service knows what the file and what stands were last the same in; empty
 *     where it knows nothing of it
 * @param baseKnown whether the file says a base that this service knows
 * @param changes what is to become, or became, of what stands
 * @param kept what somebody else has changed since and the file leaves as it was
 * @param conflicts what both have changed
 * @param problems what can't be done, or is wrong with the file; up to the first thousand
 */
public record EstateResult(
    boolean done,
    String state,
    String base,
    boolean baseKnown,
    List<EstateChange> changes,
    List<EstateChange> kept,
    List<EstateConflict> conflicts,
    List<EstateProblem> problems) {

  /**
   * A value that changes.
   *
   * @param path as {@code timetables/often/every}
   * @param before null where it is added
   * @param after null where it is removed
   * @param line of the file, from 1
   */
  public record EstateChange(
      String path, @Nullable String before, @Nullable String after, int line) {}

  /**
   * What both sides have changed.
   *
   * @param path of a value; of a thing where one side has removed it
   * @param whole whether it is a thing; then a side that has not removed it has no value to tell
   * @param base what it was; null where it was not there, or a whole thing
   * @param service what it is; null where it was removed
   * @param file what the file has; null where it was removed there
   * @param line of the file, from 1
   */
  public record EstateConflict(
      String path,
      boolean whole,
      @Nullable String base,
      @Nullable String service,
      @Nullable String file,
      int line) {}

  /**
   * What is wrong, or can't be done.
   *
   * @param line of the file, from 1
   * @param column from 1
   */
  public record EstateProblem(int line, int column, String cause, Remedy remedy) {}
}
