package bargelane.api;

import java.time.Instant;
import java.util.List;

/**
 * A site as the service knows it. {@code status} is {@code new}, {@code ready} or {@code finding}.
 */
public record SiteView(
    String id,
    String name,
    String kind,
    String address,
    List<String> credentials,
    Integer servers,
    String status,
    Instant checkedAt,
    Instant scannedAt,
    String schedule,
    Instant nextScanAt,
    Integer machines,
    String platform,
    String version,
    String instantReach,
    Integer granularityBytes,
    Boolean markersSurviveCrash,
    List<FindingView> findings) {}
