package bargelane.api;

import org.jspecify.annotations.Nullable;

/**
 * Whether refits add something to guests besides what they need.
 *
 * @param machine the one that it is about; null for all of the wave
 * @param offer the offer's name
 */
public record RefitOfferChoice(@Nullable String machine, String offer, boolean accepted) {}
