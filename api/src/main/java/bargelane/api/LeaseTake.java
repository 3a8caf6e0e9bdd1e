package bargelane.api;

/**
 * A tug asks for work.
 *
 * @param certificate the SHA-256 of the certificate that it shows to disk servers, hexadecimal;
 *     left out if it shows none
 */
public record LeaseTake(String tug, String version, Integer waitSeconds, String certificate) {}
