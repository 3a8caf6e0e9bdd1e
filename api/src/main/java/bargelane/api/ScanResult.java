package bargelane.api;

import java.util.List;

/** What a scan changed. */
public record ScanResult(
    int machines,
    List<String> appeared,
    List<String> changed,
    List<String> vanished,
    boolean unchanged) {}
