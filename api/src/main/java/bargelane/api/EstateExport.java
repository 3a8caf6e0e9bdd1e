package bargelane.api;

/**
 * What an installation is set up with, as an estate file.
 *
 * @param base by which the service knows what the file was written from
 */
public record EstateExport(String base, String text) {}
