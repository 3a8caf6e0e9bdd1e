package bargelane.service.move;

import bargelane.api.Divergence;

/**
 * A failover left two sides that may both hold writes which the other has not.
 *
 * @param winner the side that was started
 * @param marker what tracks its changes since its first instruction
 * @param pointId the point that both sides held
 * @param runningSince when the started side answered
 * @param measured what each side changed, once both could be looked at
 */
public record Parting(
    String winner, String marker, String pointId, String runningSince, Divergence measured) {}
