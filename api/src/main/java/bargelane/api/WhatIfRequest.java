package bargelane.api;

import java.math.BigDecimal;
import java.util.List;

/**
 * Choices whose every combination is assessed; of one that is left out the revision's own.
 *
 * @param headrooms in percent, of all resources alike
 */
public record WhatIfRequest(
    int revision,
    List<Double> percentiles,
    List<Double> headrooms,
    List<String> commitments,
    List<BigDecimal> hoursAWeek) {}
