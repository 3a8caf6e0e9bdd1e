package bargelane.api;

import java.util.List;

/**
 * An identity provider (OpenID Connect) that people sign in through.
 *
 * @param name what people call it
 * @param issuer its address, as it names itself
 * @param client this service's id there
 * @param secret this service's secret there; left out it stays, empty there is none
 * @param address where browsers reach this service, such as {@code https://lane.example:8443}
 * @param scopes asked for besides {@code openid}; {@code profile} if left out
 * @param groupsClaim the claim that tells the groups of somebody; {@code groups} if left out
 * @param authority who signed its certificate (PEM); left out they stay, empty: this system's
 *     authorities
 * @param groups what each group may do: the first that somebody is in counts
 */
public record ProviderSet(
    String name,
    String issuer,
    String client,
    String secret,
    String address,
    List<String> scopes,
    String groupsClaim,
    String authority,
    List<GroupRoles> groups) {}
