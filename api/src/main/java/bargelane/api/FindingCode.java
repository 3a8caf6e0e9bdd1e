package bargelane.api;

import java.util.List;

/**
 * A code of the catalogue of findings.
 *
 * @param blocks whether it keeps what it is found for from going on
 * @param meaning what it means
 * @param advice what is usually done about it
 * @param who can usually mend it: engineer, site owner or service
 * @param steps what they do, in the order in which it is tried; without the things that it is for
 */
public record FindingCode(
    String code, boolean blocks, String meaning, String advice, String who, List<Remedy> steps) {}
