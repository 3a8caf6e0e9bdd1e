package bargelane.api;

import java.time.Instant;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * What a machine's guest needs changed to start at the other side, as it was last looked at.
 *
 * @param lookedAt null if nobody looked yet
 * @param point number of the recovery point that was looked into; 0 if none
 * @param throughYard whether a yard had to look, since its file systems are not read by the service
 * @param offers what could be added to it besides
 * @param word whose word lets it move in spite of what was refused; empty if nobody's
 */
public record RefitView(
    String machine,
    @Nullable Instant lookedAt,
    int point,
    boolean needed,
    String os,
    String firmware,
    boolean throughYard,
    String summary,
    List<RefitEdit> edits,
    List<String> unjudged,
    List<String> refused,
    List<RefitOffer> offers,
    String word) {}
