package bargelane.api;

import java.util.List;

/**
 * What is let in to a machine at a target that filters, and what would be proposed by what was
 * seen.
 *
 * @param rules those that the lane decides, as people write them; those of its source unless said
 * @param from whose decision they are; empty where they are those of the source
 * @param proposed the fewest that let in all that was seen; the same as a decision is written
 * @param evidence for each rule that is proposed
 * @param unused rules that nobody was seen to use: what the proposal would close
 * @param cut clients that were seen and that the rules do not let in
 * @param cutExamples some of them, as {@code 10.20.1.7 at tcp/445}
 */
public record IngressView(
    String id,
    String machine,
    String wave,
    String rules,
    String from,
    String proposed,
    List<EvidenceView> evidence,
    List<String> unused,
    long cut,
    List<String> cutExamples) {

  /**
   * Why a rule is proposed.
   *
   * @param clients different addresses that were seen
   * @param present whether the rules let all of them in already
   */
  public record EvidenceView(String rule, long clients, long connections, boolean present) {}
}
