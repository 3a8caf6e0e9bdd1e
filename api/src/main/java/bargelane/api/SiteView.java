package bargelane.api;

import java.time.Instant;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * A site as the service knows it. {@code status} is {@code new}, {@code ready} or {@code finding}.
 */
public record SiteView(
    String id,
    String name,
    String kind,
    String address,
    List<String> credentials,
    @Nullable Integer servers,
    String status,
    @Nullable Instant checkedAt,
    @Nullable Instant scannedAt,
    String schedule,
    @Nullable Instant nextScanAt,
    Integer machines,
    @Nullable String platform,
    @Nullable String version,
    String instantReach,
    @Nullable Integer granularityBytes,
    @Nullable Boolean markersSurviveCrash,
    List<FindingView> findings) {}
