package bargelane.api;

import java.time.Instant;
import java.util.List;
import java.util.Map;

/**
 * What needs the engineer now, the estate along the gates, the waves. Gate counts are machines that
 * have the gate open.
 */
public record Overview(
    Instant now,
    List<Need> needs,
    Map<String, Integer> gates,
    int machines,
    int planned,
    List<WaveCard> waves,
    List<RunView> running,
    List<EventView> recent) {}
