package bargelane.api;

import java.util.List;

/**
 * What of an installation is to be written.
 *
 * @param only sections: sites, timetables, labels, lanes, waves; all where it is left out
 */
public record EstateExportAsk(List<String> only) {}
