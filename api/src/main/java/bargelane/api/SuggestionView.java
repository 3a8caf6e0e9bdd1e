package bargelane.api;

import java.util.List;

/**
 * A join that is suggested for a lane.
 *
 * @param kind {@code network} or {@code storage}
 * @param from id at the lane's source
 * @param fromName its name there
 * @param to id at the lane's target
 * @param toName its name there
 * @param clear whether nothing else comes close to it; otherwise it is somebody's to choose
 * @param reasons what speaks for it, and what has to be known of it
 * @param others ids that are possible too, the better ones first
 */
public record SuggestionView(
    String kind,
    String from,
    String fromName,
    String to,
    String toName,
    boolean clear,
    List<String> reasons,
    List<String> others) {}
