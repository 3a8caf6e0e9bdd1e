package bargelane.api;

import java.util.Map;

/**
 * A lane to add or the whole of its decisions to replace. Networks and storages map source to
 * target by id.
 */
public record LaneAdd(
    String name,
    String from,
    String to,
    Map<String, String> networks,
    Map<String, String> storages,
    String zone,
    Boolean keepAddresses) {}
