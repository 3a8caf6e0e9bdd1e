package bargelane.api;

/** The fingerprints that a server's host key may have, {@code SHA256:…}, parted by blanks. */
public record ServerEdit(String hostKey) {}
