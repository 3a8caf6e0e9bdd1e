package bargelane.api;

import java.util.List;

/**
 * Sizes of a revision to be accepted.
 *
 * @param revision its number; the newest if it is 0
 * @param basis configured or observed; that of the assumptions if it is empty
 * @param machines by name or id; all that have a size if it is empty
 */
public record AssessmentAccept(int revision, String basis, List<String> machines) {}
