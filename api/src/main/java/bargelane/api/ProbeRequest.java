package bargelane.api;

import org.jspecify.annotations.Nullable;

/**
 * How it is to be seen that a machine of a wave does its work; what is null stays as it is.
 *
 * @param kind {@code http}, {@code tcp} or {@code none}
 * @param port of the guest; 0 for the one that its site knows it serves
 */
public record ProbeRequest(
    String machine,
    @Nullable String kind,
    @Nullable Integer port,
    @Nullable String path,
    @Nullable Integer withinSeconds) {}
