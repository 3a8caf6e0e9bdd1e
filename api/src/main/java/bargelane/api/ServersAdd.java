package bargelane.api;

import java.util.List;

/** Servers to add to a site: a list of addresses, or the text of a CSV file. */
public record ServersAdd(List<String> addresses, String csv, boolean dryRun) {}
