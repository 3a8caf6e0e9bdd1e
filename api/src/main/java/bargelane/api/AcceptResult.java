package bargelane.api;

import java.util.List;

/**
 * Whose sizes were accepted.
 *
 * @param unsized machines that have no size in the revision
 * @param waves in which a member's size was set by it
 */
public record AcceptResult(int accepted, List<String> unsized, List<String> waves) {}
