package bargelane.api;

import java.util.List;

/**
 * What a scan changed. Of each kind the first 200 are named and all are counted.
 *
 * @param changed machines of which a fact is another; {@code /sites/{site}/changes} tells which
 */
public record ScanResult(
    int machines,
    List<String> appeared,
    List<String> changed,
    List<String> vanished,
    int appearedCount,
    int changedCount,
    int vanishedCount,
    boolean unchanged) {}
