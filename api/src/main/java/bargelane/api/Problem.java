package bargelane.api;

/**
 * An error as the service tells it (RFC 9457), with our stable code and, where there is one, a
 * remedy.
 */
public record Problem(
    String type, String title, int status, String code, String detail, Remedy remedy) {}
