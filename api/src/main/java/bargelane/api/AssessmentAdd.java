package bargelane.api;

import java.util.List;

/**
 * Machines to assess for a target.
 *
 * @param name of the assessment; one is given if it is empty
 * @param machines by name or id; or else
 * @param filter as docs/filters.md describes, kept and gone through anew for each revision
 * @param target a site; may be left out where the price book describes its sizes
 * @param book price book by name; the prices that the target tells if it is empty
 * @param assumptions as usual where it is left out
 */
public record AssessmentAdd(
    String name,
    List<String> machines,
    String filter,
    String target,
    String book,
    AssumptionsView assumptions) {}
