package bargelane.api;

/**
 * A list to take over.
 *
 * @param csv the text of the CSV file (RFC 4180)
 * @param dryRun only say what would become of it
 * @param whole of machines: whoever is not in it has vanished
 */
public record CsvImport(String csv, boolean dryRun, boolean whole) {}
