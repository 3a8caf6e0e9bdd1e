package bargelane.api;

import java.util.List;

/**
 * The identity provider that people sign in through, without its secret.
 *
 * @param redirect where it sends people back to: it must know this address
 * @param authority whether an authority of its own signed its certificate
 */
public record ProviderView(
    String name,
    String issuer,
    String client,
    boolean secret,
    String address,
    String redirect,
    List<String> scopes,
    String groupsClaim,
    boolean authority,
    List<GroupRoles> groups) {}
