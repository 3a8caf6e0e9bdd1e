package bargelane.api;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/**
 * An entry of the audit.
 *
 * @param token id of the session or token that the call came with
 * @param before what stood there that the call was to change, as far as the body names it; empty if
 *     nothing did
 * @param asked the body of the call, without its secrets
 * @param status 0 of what was asked; otherwise the status of the answer
 * @param account whose; of a sign-in the one that was given
 * @param of the entry of what was asked, of a refusal that came after it was begun
 * @param digest SHA-256 over the digest before and these fields
 */
public record AuditView(
    long id,
    Instant at,
    String account,
    String token,
    String address,
    String method,
    String path,
    String before,
    String asked,
    int status,
    String code,
    @Nullable Long of,
    String digest) {}
