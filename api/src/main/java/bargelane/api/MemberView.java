package bargelane.api;

import java.math.BigDecimal;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * A machine of a wave with its place along the gates. {@code stands} names the site where it runs;
 * {@code notices} are findings that keep no gate shut.
 */
public record MemberView(
    String machine,
    String name,
    int rank,
    String size,
    String sizeBasis,
    @Nullable BigDecimal monthly,
    String currency,
    List<PlacedNicView> nics,
    List<String> storages,
    long bytes,
    String stands,
    List<GateView> gates,
    List<FindingView> notices,
    String nextGate,
    Remedy nextAction) {}
