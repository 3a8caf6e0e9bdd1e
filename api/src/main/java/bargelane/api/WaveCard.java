package bargelane.api;

import java.util.Map;
import org.jspecify.annotations.Nullable;

/** A wave on the overview. */
public record WaveCard(
    String id,
    String name,
    String from,
    String to,
    String stands,
    int machines,
    String state,
    @Nullable Double exposureSeconds,
    int rpoSeconds,
    boolean rpoHeld,
    boolean protectedNow,
    Remedy nextAction,
    Map<String, Integer> gates) {}
