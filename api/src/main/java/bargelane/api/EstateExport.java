package bargelane.api;

/**
 * What an installation is set up with, as an estate file.
 *
 * @param base by which the service knows what the file was written from
 * @param yaml the text of the file
 */
public record EstateExport(String base, String yaml) {}
