package bargelane.api;

import java.util.List;
import java.util.Map;

/** A lane and its reverse. */
public record LaneView(
    String id,
    String name,
    String from,
    String to,
    Map<String, String> networks,
    Map<String, String> storages,
    Map<String, String> reverseNetworks,
    Map<String, String> reverseStorages,
    String zone,
    boolean keepAddresses,
    long revision,
    List<FindingView> findings) {}
