package bargelane.api;

/**
 * A new revision of an assessment.
 *
 * @param assumptions what is left out is as in the revision before
 * @param book as in the revision before where it is null
 * @param why it is made
 */
public record RevisionAdd(AssumptionsView assumptions, String book, String why) {}
