package bargelane.api;

/**
 * A code of the catalogue of findings.
 *
 * @param blocks whether it keeps what it is found for from going on
 * @param meaning what it means
 * @param advice what is usually done about it
 */
public record FindingCode(String code, boolean blocks, String meaning, String advice) {}
